# Thin plate spline and Thiessen areas of the meuse points by SciPy and Shapely, zonal statistics by rasterio's centre rule.
# Needs Debian's python3-scipy, python3-shapely, python3-rasterio. Run from the project's root after meuse.R.
import json
import numpy as np, scipy
from scipy.interpolate import RBFInterpolator
from scipy.spatial import Voronoi
from shapely.geometry import Polygon, box
import rasterio.features, rasterio.transform
m = json.load(open("reference/fixtures/meuse.json"))
p = np.column_stack([m["x"], m["y"]]); z = np.array(m["z"]); g = np.column_stack([m["gx"], m["gy"]])
tps = RBFInterpolator(p, z, kernel="thin_plate_spline", smoothing=0)(g)
smooth = RBFInterpolator(p, z, kernel="thin_plate_spline", smoothing=1e5)(g)
b = box(p[:, 0].min() - 100, p[:, 1].min() - 100, p[:, 0].max() + 100, p[:, 1].max() + 100)
# Mirror points far away make every cell of the points finite.
far = 1e6
c = p.mean(axis=0)
v = Voronoi(np.vstack([p, c + [[far, 0], [-far, 0], [0, far], [0, -far]]]))
areas = [Polygon(v.vertices[v.regions[v.point_region[i]]]).intersection(b).area for i in range(len(p))]
rng = np.random.default_rng(3)
cells = np.round(rng.normal(10, 3, (20, 30)), 3); cells[4:6, 7:12] = np.nan
t = rasterio.transform.from_origin(400000, 6460000, 10, 10)
zones = [Polygon([(400012, 6459990), (400140, 6459960), (400095, 6459850), (400020, 6459870)]), Polygon([(400150, 6459995), (400290, 6459940), (400180, 6459810)]), Polygon([(400003, 6459803), (400004, 6459803), (400004, 6459804)])]
# Off the lattice, so that no edge passes through a centre: whose cell that is, is a matter of taste.
from shapely.affinity import translate
zones = [translate(q, 0.37, 0.21) for q in zones]
stats = []
for zone in zones:
    mask = rasterio.features.rasterize([(zone, 1)], out_shape=cells.shape, transform=t, all_touched=False).astype(bool)
    vals = cells[mask]; vals = vals[~np.isnan(vals)]
    stats.append({"cells": int(mask.sum()), "count": int(len(vals)), **({"mean": vals.mean(), "min": vals.min(), "max": vals.max(), "sum": vals.sum(), "median": float(np.median(vals)), "sd": vals.std(ddof=1)} if len(vals) else {})})
json.dump({"scipy": scipy.__version__, "rasterio": rasterio.__version__, "tps": tps.tolist(), "smooth": smooth.tolist(), "smoothing": 1e5,
  "thiessen": areas, "bounds": list(b.bounds), "cells": [None if np.isnan(x) else x for x in cells.ravel().tolist()], "columns": 30,
  "zones": [list(map(list, q.exterior.coords)) for q in zones], "zonal": stats}, open("reference/fixtures/surface-scipy.json", "w"), separators=(",", ":"))
