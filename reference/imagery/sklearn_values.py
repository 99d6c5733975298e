"""Values to hold the imagery kernels against: python3 reference/imagery/sklearn_values.py > reference/fixtures/imagery.json

Open datasets that come with scikit-learn: Fisher's iris (Fisher 1936, doi:10.1111/j.1469-1809.1936.tb02137.x) and every second of the
optical digits (Alpaydin and Kaynak 1998, doi:10.24432/C50P49). NumPy, SciPy and scikit-learn of Debian 12.
"""
import json

import numpy as np
from scipy.stats import multivariate_normal
from sklearn.cluster import KMeans
from sklearn.datasets import load_digits, load_iris
from sklearn.discriminant_analysis import QuadraticDiscriminantAnalysis
from sklearn.ensemble import RandomForestClassifier
from sklearn.metrics import calinski_harabasz_score, cohen_kappa_score, confusion_matrix

iris = load_iris()
x, y = iris.data, iris.target


def components(m):
    values, vectors = np.linalg.eigh(m)
    order = np.argsort(values)[::-1]
    v = vectors[:, order].T
    v = v * np.sign(v[np.arange(len(v)), np.abs(v).argmax(1)])[:, None]
    return {"values": values[order].tolist(), "vectors": v.tolist()}


def apart(i, j):
    """Jeffries-Matusita distance and transformed divergence, written out from their formulas with NumPy's inverse and determinant."""
    a, b = x[y == i], x[y == j]
    d = a.mean(0) - b.mean(0)
    ca, cb = np.cov(a.T), np.cov(b.T)
    c = (ca + cb) / 2
    bh = d @ np.linalg.inv(c) @ d / 8 + np.log(np.linalg.det(c) / np.sqrt(np.linalg.det(ca) * np.linalg.det(cb))) / 2
    ia, ib = np.linalg.inv(ca), np.linalg.inv(cb)
    dv = np.trace((ca - cb) @ (ib - ia)) / 2 + np.trace((ia + ib) @ np.outer(d, d)) / 2
    return {"a": i, "b": j, "jm": 2 * (1 - np.exp(-bh)), "td": 2 * (1 - np.exp(-dv / 8)), "bh": bh, "dv": dv}


def inertia(v, k):
    return KMeans(n_clusters=k, n_init=10, random_state=1, tol=0, max_iter=1000).fit(v).inertia_


def calinski(v, k):
    return calinski_harabasz_score(v, KMeans(n_clusters=k, n_init=10, random_state=1, tol=0, max_iter=1000).fit(v).labels_)


digits = load_digits()
dx, dy = digits.data[::2].astype(int), digits.target[::2]
half = len(dx) // 2
scores = [
    RandomForestClassifier(n_estimators=200, random_state=s).fit(dx[:half], dy[:half]).score(dx[half:], dy[half:])
    for s in range(5)
]
alphabet = "0123456789abcdefg"

qda = QuadraticDiscriminantAnalysis(priors=[1 / 3] * 3).fit(x, y)
normal = [multivariate_normal(x[y == c].mean(0), np.cov(x[y == c].T)).logpdf(x[::10]).tolist() for c in range(3)]
said = (qda.predict(x) + (np.arange(150) % 17 == 0)) % 3

print(
    json.dumps(
        {
            "iris": {"x": x.tolist(), "y": y.tolist()},
            "components": components(np.cov(x.T)),
            "standardised": components(np.corrcoef(x.T)),
            "inertia": {"iris": {str(k): inertia(x, k) for k in (2, 3, 5, 8)}, "digits": {"10": inertia(dx, 10)}},
            "calinski": {str(k): calinski(x, k) for k in (2, 3, 4, 5)},
            "apart": [apart(0, 1), apart(0, 2), apart(1, 2)],
            "likelihood": {"log": normal, "classes": qda.predict(x).tolist(), "posterior": qda.predict_proba(x)[::10].tolist()},
            "digits": {"rows": ["".join(alphabet[v] for v in r) for r in dx], "classes": dy.tolist(), "half": half},
            "forest": {"scores": scores},
            "agreement": {
                "truth": y.tolist(),
                "said": said.tolist(),
                "matrix": confusion_matrix(said, y).tolist(),
                "kappa": cohen_kappa_score(said, y),
            },
        },
        separators=(",", ":"),
    )
)
