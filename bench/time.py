"""Seconds that SciPy, scikit-learn and NumPy take for what bench/time.ts does; one object of JSON. python3 bench/time.py FOLDER"""

import json
import sys
import time

import numpy as np
from scipy import stats
from sklearn.cluster import KMeans

folder = sys.argv[1]
out = {}
STEPS = 120
many = np.fromfile(f"{folder}/many.f64").reshape(-1, STEPS)
grouped = np.fromfile(f"{folder}/grouped.f64").reshape(-1, STEPS)


def clock(key, work, times=1.0):
    start = time.perf_counter()
    made = work()
    out[key] = (time.perf_counter() - start) * times
    return made


def trends(y):
    t = np.arange(STEPS, dtype=float)
    for row in y:
        stats.kendalltau(t, row, method="asymptotic")
        stats.theilslopes(row, t, 0.95)


# A hundredth of them, a hundred times counted: it takes long.
clock("trend of 100 000 × 120", lambda: trends(many[:1000]), 100)
clock("5 groups of 10 000 × 120", lambda: KMeans(5, n_init=4, random_state=1).fit(grouped))
clock(
    "number of groups advised, 10 000 × 120",
    lambda: [KMeans(k, n_init=4, random_state=1).fit(grouped) for k in range(2, 11)],
)


def events():
    """Cells of a regular net by division, which is less work than looking in areas; dates parsed; counted in one go."""
    xy = np.fromfile(f"{folder}/xy.f64").reshape(-1, 2)
    with open(f"{folder}/date.txt") as f:
        date = np.array(f.read().split("\n"), dtype="datetime64[D]")
    start = time.perf_counter()
    with open(f"{folder}/date.txt") as f:
        date = np.array(f.read().split("\n"), dtype="datetime64[D]")
    cell = np.floor(xy[:, 1]).astype(int) * 50 + np.floor(xy[:, 0]).astype(int)
    month = date.astype("datetime64[M]").astype(int)
    month -= month.min()
    counts = np.bincount(cell * (month.max() + 1) + month)
    out["5 million events into 2 500 cells × 120 months"] = time.perf_counter() - start
    return int(counts.sum())


out["counted"] = events()
print(json.dumps(out))
