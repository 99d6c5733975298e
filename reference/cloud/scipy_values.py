"""Values to hold the kernels of point clouds against: python3 reference/cloud/scipy_values.py > reference/fixtures/cloud.json

Binning by NumPy, triangles by SciPy's LinearNDInterpolator (Qhull), neighbours by its cKDTree, least eigenvalues by NumPy's eigvalsh, openings by
scipy.ndimage, least rectangles and overlaps by Shapely. NumPy and SciPy of Debian 12.
"""
import json

import numpy as np
from scipy.interpolate import LinearNDInterpolator
from scipy.ndimage import grey_opening
from scipy.spatial import cKDTree
from shapely.geometry import Polygon

rng = np.random.default_rng(13)
n = 600
x = np.round(rng.uniform(0, 40, n), 2)
y = np.round(rng.uniform(0, 30, n), 2)
z = np.round(3 * np.sin(x / 6) + 2 * np.cos(y / 5) + rng.normal(0, 0.4, n), 2)
cls = rng.choice([2, 5, 6], n, p=[0.6, 0.25, 0.15])
intensity = rng.integers(0, 4000, n)

size = 2.0
x0 = np.floor(x.min() / size) * size
y1 = np.ceil(y.max() / size) * size
columns = int(np.floor((x.max() - x0) / size)) + 1
rows = int(np.floor((y1 - y.min()) / size)) + 1
cell = (np.floor((y1 - y) / size) * columns + np.floor((x - x0) / size)).astype(int)


def binned(values, keep, f):
    return [None if not (m := (cell == c) & keep).any() else float(f(values[m])) for c in range(columns * rows)]


every = np.ones(n, bool)
centres = [[x0 + (c % columns + 0.5) * size, y1 - (c // columns + 0.5) * size] for c in range(columns * rows)]
ground = cls == 2
tin = LinearNDInterpolator(np.c_[x[ground], y[ground]], z[ground])(centres)

p = np.c_[x, y, z]
tree = cKDTree(p)
d, _ = tree.query(p, k=9)
_, near = tree.query(p, k=13)
least = [float(np.linalg.eigvalsh(np.cov(p[near[i]].T, bias=True))[0]) for i in range(n)]

surface = np.round(rng.uniform(0, 10, (17, 23)), 3)
openings = {str(h): grey_opening(surface, size=(2 * h + 1, 2 * h + 1), mode="nearest").ravel().tolist() for h in (1, 2, 4)}

a = Polygon([(0, 0), (10, 0), (10, 6), (0, 6)])
pairs = []
for dx, dy, turn in [(0, 0, 0), (1, 0.5, 0), (3, 1, 0.3), (9, 5, 0), (20, 0, 0)]:
    c, s = np.cos(turn), np.sin(turn)
    b = Polygon([(dx + u * c - v * s, dy + u * s + v * c) for u, v in a.exterior.coords[:-1]])
    pairs.append({"b": list(b.exterior.coords), "iou": a.intersection(b).area / a.union(b).area})

print(json.dumps({
    "x": x.tolist(), "y": y.tolist(), "z": z.tolist(), "cls": cls.tolist(), "intensity": intensity.tolist(),
    "grid": {"x": x0, "y": y1, "columns": columns, "rows": rows},
    "max": binned(z, every, np.max),
    "min": binned(z, cls == 5, np.min),
    "mean": binned(intensity, every, np.mean),
    "median": binned(z, every, np.median),
    "count": [int((cell == c).sum()) for c in range(columns * rows)],
    "tin": [None if np.isnan(v) else float(v) for v in tin],
    "neighbours": d[:, 1:].mean(1).tolist(),
    "least": least,
    "surface": surface.ravel().tolist(), "openings": openings,
    "overlaps": {"a": list(a.exterior.coords), "pairs": pairs},
}, separators=(",", ":")))
