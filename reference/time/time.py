"""Check values for trends and groups of series, with SciPy, NumPy and scikit-learn.

    python3 reference/time/time.py > reference/fixtures/time.json

SciPy 1.10, NumPy 1.24, scikit-learn 1.2 (Debian 12).
"""

import json
import math

import numpy as np
from scipy import stats
from scipy.stats import mstats
from sklearn.cluster import KMeans
from sklearn.metrics import calinski_harabasz_score, silhouette_samples

rng = np.random.default_rng(16)


def lacking(a):
    return [None if not math.isfinite(v) else float(v) for v in np.asarray(a, dtype=float)]


def mann_kendall(t, y):
    """S and its variance with ties, counted pair by pair; tau-b and the p without correction for continuity from SciPy."""
    s = sum(int(np.sign(y[j] - y[i])) for i in range(len(y)) for j in range(i + 1, len(y)))
    n = len(y)
    _, ties = np.unique(y, return_counts=True)
    variance = (n * (n - 1) * (2 * n + 5) - sum(k * (k - 1) * (2 * k + 5) for k in ties)) / 18
    tau, p = stats.kendalltau(t, y, method="asymptotic")
    z = (s - np.sign(s)) / math.sqrt(variance) if variance else 0.0
    slope, _, low, high = stats.theilslopes(y, t, 0.95)
    return {
        "s": s,
        "variance": variance,
        "tau": float(tau),
        "pScipy": float(p),
        "z": float(z),
        "p": float(2 * stats.norm.sf(abs(z))),
        "slope": float(slope),
        "low": float(low),
        "high": float(high),
    }


def series():
    """Series of several lengths: with and without trend, whole numbers with many ties, and gaps."""
    out = []
    for n, trend, digits, gaps in [
        (12, 0.0, 6, 0),
        (12, 0.4, 6, 0),
        (40, 0.05, 0, 0),
        (40, -0.2, 1, 7),
        (96, 0.01, 0, 20),
        (120, 0.0, 6, 0),
        (5, 1.0, 3, 0),
        (31, -0.02, 0, 11),
    ]:
        y = np.round(trend * np.arange(n) + rng.normal(0, 1, n), digits) + 0.0
        y[rng.choice(n, gaps, replace=False)] = np.nan
        t = np.flatnonzero(~np.isnan(y))
        out.append({"y": lacking(y), **mann_kendall(t.astype(float), y[t])})
    return out


def seasonal():
    """The seasonal form: SciPy's own, which takes years by seasons; gaps masked."""
    out = []
    for years, season, trend, digits, gaps in [(8, 12, 0.3, 6, 0), (8, 12, 0.1, 0, 9), (6, 4, -0.4, 1, 3)]:
        cycle = 3 * np.sin(2 * np.pi * np.arange(season) / season)
        y = np.round(trend * np.arange(years)[:, None] + cycle + rng.normal(0, 0.8, (years, season)), digits) + 0.0
        flat = y.ravel()
        flat[rng.choice(flat.size, gaps, replace=False)] = np.nan
        masked = np.ma.masked_invalid(flat.reshape(years, season))
        k = mstats.kendalltau_seasonal(masked)
        # SciPy's slopes are a year; pairs by hand, since its overall median leaves out masked ones only in part.
        slopes = [
            (flat[j] - flat[i]) / (j - i)
            for g in range(season)
            for i in range(g, flat.size, season)
            for j in range(i + season, flat.size, season)
            if math.isfinite(flat[i]) and math.isfinite(flat[j])
        ]
        s = 0
        variance = 0.0
        for g in range(season):
            own = flat[g::season]
            own = own[np.isfinite(own)]
            m = mann_kendall(np.arange(own.size), own)
            s += m["s"]
            variance += m["variance"]
        out.append(
            {
                "y": lacking(flat),
                "season": season,
                "s": s,
                "variance": variance,
                "p": float(k["global p-value (indep)"]),
                "slope": float(np.median(slopes)),
            }
        )
    return out


def whitened():
    """Series with neighbours that are alike, tested after Yue, Pilon, Phinney and Cavadias (2002), step by step."""
    out = []
    for n, trend, r in [(60, 0.05, 0.6), (80, 0.0, 0.7), (50, 0.03, 0.0)]:
        e = rng.normal(0, 1, n)
        x = np.zeros(n)
        for i in range(n):
            x[i] = (r * x[i - 1] if i else 0) + e[i]
        x += trend * np.arange(n)
        t = np.arange(n, dtype=float)
        b = stats.theilslopes(x, t)[0]
        d = x - b * t
        d0 = d - d.mean()
        r1 = float((d0[1:] * d0[:-1]).sum() / (d0**2).sum())
        bound = (-1 + stats.norm.ppf(0.95) * math.sqrt(n - 2)) / (n - 1)
        if abs(r1) > bound:
            w = d[1:] - r1 * d[:-1] + b * t[1:]
            m = mann_kendall(t[1:], w)
        else:
            m = mann_kendall(t, x)
        out.append({"y": lacking(x), "alike": r1, "s": m["s"], "variance": m["variance"], "p": m["p"]})
    return out


def groups():
    """Three kinds of series, some near each other: index and silhouettes of given labels, and the least squares KMeans finds."""
    t = np.arange(24)
    shapes = [np.sin(t / 4), 0.08 * t, np.where(t > 12, 1.0, 0.0)]
    y = np.vstack([shapes[i % 3] * (1 + 0.1 * (i % 5)) + rng.normal(0, 0.35, t.size) for i in range(60)])
    y = np.round(y, 4)
    labels = np.arange(60) % 3
    out = {"y": [lacking(v) for v in y], "labels": labels.tolist()}
    out["index"] = float(calinski_harabasz_score(y, labels))
    out["silhouettes"] = silhouette_samples(y, labels).tolist()
    z = (y - y.mean(1, keepdims=True)) / y.std(1, keepdims=True)
    for name, data in (("value", y), ("profile", z)):
        out[name] = []
        for k in range(2, 11):
            m = KMeans(k, n_init=50, random_state=1).fit(data)
            out[name].append(
                {"k": k, "within": float(m.inertia_), "index": float(calinski_harabasz_score(data, m.labels_))}
            )
    return out


print(json.dumps({"series": series(), "seasonal": seasonal(), "whitened": whitened(), "groups": groups()}))
