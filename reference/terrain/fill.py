# Filled surfaces by scikit-image's reconstruction by erosion (eight neighbours), on R's volcano with pits, a hole and
# missing corners cut into it, and on seeded noise. Missing cells drain, so they stand below everything in the mask.
import json
import numpy as np
from skimage.morphology import reconstruction
rng = np.random.default_rng(7)
def fill(z):
    missing = np.isnan(z)
    pad = np.pad(np.where(missing, -1e6, z), 1, constant_values=-1e6)
    seed = np.full_like(pad, pad.max())
    low = pad == -1e6
    seed[low] = pad[low]
    r = reconstruction(seed, pad, method="erosion", footprint=np.ones((3, 3)))[1:-1, 1:-1]
    r[missing] = np.nan
    return r
def plain(a): return [None if np.isnan(v) else float(v) for v in a.ravel()]
v = np.loadtxt("reference/fixtures/volcano.csv", delimiter=",")
v[rng.integers(2, 85, 40), rng.integers(2, 59, 40)] -= rng.integers(5, 60, 40)
v[40:44, 10:13] = np.nan
v[:6, :5] = np.nan
noise = np.round(rng.random((40, 50)) * 100, 1)
json.dump([{"width": a.shape[1], "height": a.shape[0], "cells": plain(a), "filled": plain(fill(a))} for a in (v, noise)], open("reference/fixtures/fill.json", "w"))
