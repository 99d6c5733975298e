"""Box plots by matplotlib's rule (numpy's quartiles, Tukey's whiskers) and straight lines by SciPy, for box.spec.ts.

Run with Debian's python3-numpy and python3-scipy: python3 reference/statistics/boxes.py > reference/fixtures/boxes.json
Data: the values z at x of the meuse data (Burrough and McDonnell), as in reference/fixtures/meuse.json.
"""

import json
import pathlib

import numpy as np
from scipy import stats

here = pathlib.Path(__file__).parent.parent / "fixtures"
meuse = json.loads((here / "meuse.json").read_text())


def box(values):
    v = np.sort(np.array(values, float))
    q1, q2, q3 = np.percentile(v, [25, 50, 75])
    inside = v[(v >= q1 - 1.5 * (q3 - q1)) & (v <= q3 + 1.5 * (q3 - q1))]
    out = v[(v < inside[0]) | (v > inside[-1])]
    return dict(q1=q1, median=q2, q3=q3, mean=v.mean(), whiskerMin=inside[0], whiskerMax=inside[-1], outliers=out.tolist())


values = meuse["z"]
x = meuse["x"]
fit = stats.linregress(x, values)
print(json.dumps(dict(values=box(values), zinc=box(np.exp(values)), fit=dict(slope=fit.slope, intercept=fit.intercept, r=fit.rvalue))))
