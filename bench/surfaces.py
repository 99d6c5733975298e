# The thin plate spline of the same points by SciPy; prints JSON of seconds. Called by bench/surfaces.ts.
import json, sys, time
import numpy as np
from scipy.interpolate import RBFInterpolator
d = np.genfromtxt(f"{sys.argv[1]}/a.csv", delimiter=",", skip_header=1)
g = np.arange(10, 10000, 20.0)
at = np.array([(x, y) for y in g[::-1] for x in g])
t = time.perf_counter()
RBFInterpolator(d[:, :2], d[:, 2], kernel="thin_plate_spline")(at)
print(json.dumps({"spline, 500 points, 250 000 cells": time.perf_counter() - t}))
