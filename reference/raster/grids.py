"""What rasterio (GDAL), SciPy and NumPy make of small grids: polygons, lines and points burnt in, areas of equal value, statistics within a
disc, a hole filled by Laplace's equation, means and modes of coarser cells, percentiles.

Run with Debian's python3-rasterio and python3-scipy from the project's root: /usr/bin/python3 reference/raster/grids.py
Writes reference/fixtures/grids.json.
"""

import json
import pathlib

import numpy as np
import rasterio
import scipy
from rasterio.features import rasterize, shapes
from rasterio.transform import from_origin
from rasterio.warp import Resampling, reproject
from scipy import ndimage, stats
from scipy.sparse import lil_matrix
from scipy.sparse.linalg import spsolve

rng = np.random.default_rng(7)
W, H, CELL, X, Y = 24, 18, 10.0, 400000.0, 6460000.0
transform = from_origin(X, Y, CELL, CELL)
none = lambda a: [None if np.isnan(v) else round(float(v), 9) for v in np.asarray(a, "float64").ravel()]


def star(cx, cy, r, n):
    a = np.sort(rng.uniform(0, 2 * np.pi, n))
    d = rng.uniform(0.4, 1, n) * r
    ring = [[cx + float(np.cos(t) * q), cy + float(np.sin(t) * q)] for t, q in zip(a, d)]
    return ring + [ring[0]]


polygons = [star(X + 60, Y - 60, 55, 9), star(X + 150, Y - 90, 80, 13), star(X + 200, Y - 40, 60, 7)]
lines = [[[float(X + rng.uniform(0, W * CELL)), float(Y - rng.uniform(0, H * CELL))] for _ in range(5)] for _ in range(3)]
points = [[float(X + rng.uniform(0, W * CELL)), float(Y - rng.uniform(0, H * CELL))] for _ in range(12)]
burn = lambda geometries, kind, touched: rasterize(
    [({"type": kind, "coordinates": g}, k + 1) for k, g in enumerate(geometries)], (H, W), fill=0, transform=transform, all_touched=touched, dtype="int32"
)
burnt = dict(
    polygons=burn([[p] for p in polygons], "Polygon", False).ravel().tolist(),
    lines=burn(lines, "LineString", True).ravel().tolist(),
    points=burn(points, "Point", False).ravel().tolist(),
)

classes = rng.integers(1, 4, (H, W)).astype("int32")
classes = ndimage.median_filter(classes, 3).astype("int32")


def ring_area(r):
    x, y = np.array(r).T
    return abs(np.sum(x[:-1] * y[1:] - x[1:] * y[:-1])) / 2


def areas(connect):
    out = []
    for g, v in shapes(classes, connectivity=connect, transform=transform):
        rings = g["coordinates"]
        out.append([int(v), round(ring_area(rings[0]) - sum(ring_area(r) for r in rings[1:]), 6), len(rings)])
    return sorted(out)


values = rng.normal(100, 20, (H, W))
values[rng.uniform(size=(H, W)) < 0.08] = np.nan
radius = 2.3
reach = int(radius)
yy, xx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
disc = (xx**2 + yy**2) <= radius**2
whole = np.where(np.isnan(values), np.nan, np.round(values / 15))


def disc_statistic(a, f):
    g = lambda v: np.nan if np.isnan(v).all() else f(v[~np.isnan(v)])
    out = ndimage.generic_filter(a, g, footprint=disc, mode="constant", cval=np.nan)
    out[np.isnan(a)] = np.nan
    return none(out)


smooth = dict(
    mean=disc_statistic(values, np.mean),
    median=disc_statistic(values, np.median),
    min=disc_statistic(values, np.min),
    max=disc_statistic(values, np.max),
    sd=disc_statistic(values, lambda v: np.std(v, ddof=1) if len(v) > 1 else 0.0),
    majority=disc_statistic(whole, lambda v: stats.mode(v, keepdims=False)[0].item()),
)

# A hole of a shape of its own, away from the edge.
hole = np.zeros((H, W), bool)
hole[5:12, 6:15] = True
hole[7:9, 9:11] = False
hole[11, 6:9] = False
ground = rng.normal(50, 10, (H, W))
index = {tuple(p): k for k, p in enumerate(np.argwhere(hole))}
m = lil_matrix((len(index), len(index)))
b = np.zeros(len(index))
for (r, c), k in index.items():
    m[k, k] = 4
    for q in ((r - 1, c), (r + 1, c), (r, c - 1), (r, c + 1)):
        if q in index:
            m[k, index[q]] = -1
        else:
            b[k] += ground[q]
solved = spsolve(m.tocsr(), b)
holed = ground.copy()
holed[hole] = np.nan


def coarser(a, how, dtype):
    out = np.zeros((H // 3, W // 3), dtype)
    reproject(a.astype(dtype), out, src_transform=transform, dst_transform=from_origin(X, Y, 3 * CELL, 3 * CELL), src_crs="EPSG:32627", dst_crs="EPSG:32627", resampling=how)
    return out.ravel().tolist()


percentiles = [0, 2.5, 10, 33, 50, 77.7, 100]
present = values[~np.isnan(values)]
out = dict(
    packages=f"rasterio {rasterio.__version__}, SciPy {scipy.__version__}, NumPy {np.__version__}",
    width=W, height=H, cell=CELL, x=X, y=Y,
    polygons=polygons, lines=lines, points=points, burnt=burnt,
    classes=classes.ravel().tolist(), areas4=areas(4), areas8=areas(8),
    values=none(values), whole=none(whole), radius=radius * CELL, smooth=smooth,
    holed=none(holed), solved=none(solved), hole=[int(r * W + c) for r, c in index],
    mean3=coarser(ground, Resampling.average, "float64"), ground=none(ground), mode3=coarser(classes, Resampling.mode, "int32"),
    percentiles=percentiles, quantiles=[float(v) for v in np.percentile(present, percentiles)],
    sd=float(present.std(ddof=1)), average=float(present.mean()),
)  # fmt: skip
pathlib.Path("reference/fixtures/grids.json").write_text(json.dumps(out))
print(out["packages"], len(json.dumps(out)), "bytes")
