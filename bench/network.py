# The same graph searched by SciPy's csgraph and by NetworkX; prints JSON of seconds. Called by bench/network.ts.
import json, sys, time
import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra
dir = sys.argv[1]
edges = np.fromfile(f"{dir}/edges.bin", dtype="<f8").reshape(-1, 3)
meta = json.load(open(f"{dir}/meta.json"))
n = meta["nodes"]
out = {}
def clock(name, f):
    t = time.perf_counter(); r = f(); out[name] = time.perf_counter() - t
    return r
u, v, c = edges[:, 0].astype(int), edges[:, 1].astype(int), edges[:, 2]
m = csr_matrix((c, (u, v)), shape=(n, n))
one = clock("one to all", lambda: dijkstra(m, indices=[meta["source"]]))
clock("matrix", lambda: dijkstra(m, indices=meta["origins"]))
out["sum"] = float(np.nansum(np.where(np.isfinite(one), one, 0)))
try:
    import networkx as nx
    g = nx.DiGraph()
    g.add_weighted_edges_from(zip(u.tolist(), v.tolist(), c.tolist()))
    clock("one to all, NetworkX", lambda: nx.single_source_dijkstra_path_length(g, meta["source"]))
except ImportError:
    pass
print(json.dumps(out))
