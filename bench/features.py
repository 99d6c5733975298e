# The same work on the same features by Shapely (STRtree) and Fiona; prints JSON of seconds. Called by bench/features.ts.
import json, sys, time
import fiona
from shapely.geometry import shape, Point
from shapely.ops import unary_union
from shapely.strtree import STRtree
from shapely.prepared import prep
dir = sys.argv[1]
out = {}
def load(n):
    tree = json.load(open(f"{dir}/{n}.geojson"))
    return [shape(f["geometry"]) for f in tree["features"]], [f["properties"] for f in tree["features"]]
def overlay(a, b):
    tree = STRtree(b); n = 0
    for g in a:
        p = prep(g)
        for h in tree.query(g):
            if p.intersects(h):
                if g.intersection(h).area > 0: n += 1
    return n
def clock(name, f):
    t = time.perf_counter(); r = f(); out[name] = time.perf_counter() - t
    return r
s, _ = load("00"); t, _ = load("01")
clock("overlay 2 025 x 2 025", lambda: overlay(s, t))
l, props = load("10"); m, _ = load("11")
clock("overlay 19 881 x 19 881 squares", lambda: overlay(l, m))
def dissolve():
    groups = {}
    for g, p in zip(l, props): groups.setdefault(p["kind"], []).append(g)
    return [unary_union(v) for v in groups.values()]
clock("dissolve 19 881 by 8 kinds", dissolve)
def read():
    with fiona.open(f"{dir}/points.gpkg") as src:
        return [f["geometry"]["coordinates"] for f in src]
xy = clock("read GeoPackage, 1 000 000 points", read)
cells, _ = load("cells")
def count():
    # Points as geometries are part of what the library needs.
    pts = [Point(c) for c in xy]
    tree = STRtree(pts)
    return [sum(1 for _ in filter(prep(c).contains, tree.query(c))) for c in cells]
clock("count 1 000 000 in 10 000", count)
print(json.dumps(out))
