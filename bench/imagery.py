# Clusters and classes of the vectors of bench/imagery.ts by scikit-learn. Needs Debian's python3-sklearn.
import json
import sys
import time

import numpy as np
from sklearn.cluster import KMeans
from sklearn.discriminant_analysis import QuadraticDiscriminantAnalysis
from sklearn.ensemble import RandomForestClassifier

folder = sys.argv[1]
told = json.load(open(f"{folder}/training.json"))
x = np.fromfile(f"{folder}/x.f32", dtype=np.float32).reshape(-1, told["bands"])
cells = np.array(told["cells"])
a, y = x[cells[:, 0]], cells[:, 1]
out = {}


def in_parts(model, step=1_000_000):
    for i in range(0, len(x), step):
        model.predict(x[i : i + step])


t = time.time()
k = KMeans(n_clusters=told["kinds"], n_init=1, max_iter=20, tol=0, random_state=1).fit(x)
out["clusters"] = {"seconds": time.time() - t, "within": k.inertia_ / len(x)}
t = time.time()
in_parts(QuadraticDiscriminantAnalysis(priors=[1 / told["kinds"]] * told["kinds"]).fit(a, y))
out["maximumLikelihood"] = {"seconds": time.time() - t}
t = time.time()
in_parts(RandomForestClassifier(n_estimators=told["trees"], n_jobs=-1, random_state=1).fit(a, y))
out["randomForest"] = {"seconds": time.time() - t}
print(json.dumps(out))
