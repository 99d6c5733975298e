# Chances of distributions and correlations by SciPy; writes reference/fixtures/stats.json. Run: /usr/bin/python3 reference/statistics/scipy_values.py
import json, os
import numpy as np
from scipy import special, stats

rng = np.random.default_rng(11)
out = {"scipy": __import__("scipy").__version__}
out["lnGamma"] = [[x, float(special.gammaln(x))] for x in [0.1, 0.5, 1, 1.5, 3.7, 10, 123.4, 5000.0]]
out["beta"] = [[x, a, b, float(special.betainc(a, b, x))] for x in [0.001, 0.2, 0.5, 0.9, 0.9999] for a, b in [(0.5, 0.5), (2, 3), (30, 0.5), (400, 250)]]
out["gammaQ"] = [[a, x, float(special.gammaincc(a, x))] for a in [0.5, 1, 4.5, 80] for x in [0.01, 0.7, 5, 60, 130]]
out["t"] = [[t, df, float(2 * stats.t.sf(t, df))] for t in [0.0, 0.5, 1.96, 8.2] for df in [1, 5, 46, 3000]]
out["f"] = [[f, a, b, float(stats.f.sf(f, a, b))] for f in [0.2, 1.0, 4.4, 21.0] for a, b in [(1, 10), (3, 43), (12, 1000)]]
out["chi"] = [[x, df, float(stats.chi2.sf(x, df))] for x in [0.1, 3.84, 12.0, 60.0] for df in [1, 2, 9]]
out["normal"] = [[z, float(2 * stats.norm.sf(z))] for z in [0.0, 0.3, 1.959964, 4.0, 8.0]]

cases = []
for name, x, y in [
    ("free", rng.normal(size=60), rng.normal(size=60)),
    ("tied", rng.integers(0, 6, 80).astype(float), rng.integers(0, 4, 80).astype(float)),
    ("bound", (a := rng.normal(size=40)), 2 * a + 0.4 * rng.normal(size=40)),
    ("curved", (b := np.linspace(0.1, 4, 25)), np.exp(b)),
]:
    cases.append({
        "name": name, "x": [float(v) for v in x], "y": [float(v) for v in y],
        "ranks": [float(v) for v in stats.rankdata(x)],
        "pearson": [float(v) for v in stats.pearsonr(x, y)],
        "spearman": [float(v) for v in stats.spearmanr(x, y)],
        "kendall": [float(v) for v in stats.kendalltau(x, y, method="asymptotic")],
    })
out["cases"] = cases
d = rng.gamma(2.0, 3.0, 101)
out["describe"] = {
    "values": [float(v) for v in d], "mean": float(d.mean()), "sd": float(d.std(ddof=1)),
    "quartiles": [float(v) for v in np.percentile(d, [25, 50, 75])],
    "skewness": float(stats.skew(d)), "kurtosis": float(stats.kurtosis(d)),
}
path = os.path.join(os.path.dirname(__file__), "..", "fixtures", "stats.json")
json.dump(out, open(path, "w"), indent=1)
