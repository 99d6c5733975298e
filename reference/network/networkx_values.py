"""Check values for networks: least costs by NetworkX and SciPy, areas of buffered streets by Shapely.

Writes reference/fixtures/network.json. Run: /usr/bin/python3 reference/network/networkx_values.py
"""

import json
import math
import random
from pathlib import Path

import networkx as nx
import numpy as np
import shapely
from shapely.geometry import LineString, Point
from shapely.ops import substring, unary_union
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components, dijkstra

OUT = Path(__file__).resolve().parent.parent / "fixtures" / "network.json"


def random_graph(seed, nodes, edges):
    """Edges between random nodes, each way at a cost of its own, one in six a way closed."""
    r = random.Random(seed)
    out = []
    for _ in range(edges):
        a, b = r.randrange(nodes), r.randrange(nodes)
        there = None if r.random() < 1 / 6 else round(r.uniform(1, 100), 3)
        back = None if r.random() < 1 / 6 else round(r.uniform(1, 100), 3)
        out.append([a, b, there, back])
    return out


def digraph(nodes, edges):
    g = nx.DiGraph()
    g.add_nodes_from(range(nodes))
    for a, b, there, back in edges:
        for u, v, c in ((a, b, there), (b, a, back)):
            if c is None or u == v:
                continue
            if not g.has_edge(u, v) or g[u][v]["weight"] > c:
                g.add_edge(u, v, weight=c)
    return g


def costs(g, source):
    found = nx.single_source_dijkstra_path_length(g, source)
    return [found.get(i) for i in range(g.number_of_nodes())]


def least_costs():
    out = []
    for seed, nodes, edges in ((1, 60, 90), (2, 200, 420), (3, 200, 1200)):
        e = random_graph(seed, nodes, edges)
        g = digraph(nodes, e)
        m = np.zeros((nodes, nodes))
        for u, v, d in g.edges(data="weight"):
            m[u, v] = d
        sources = [0, nodes // 3, nodes - 1]
        by_scipy = dijkstra(csr_matrix(m), indices=sources)
        runs = []
        for k, s in enumerate(sources):
            there, back = costs(g, s), costs(g.reverse(), s)
            for i, c in enumerate(there):
                assert (c is None and math.isinf(by_scipy[k, i])) or math.isclose(c, by_scipy[k, i])
            runs.append({"source": s, "from": there, "towards": back})
        strong, labels = connected_components(csr_matrix(m), directed=True, connection="strong")
        weak, _ = connected_components(csr_matrix(m), directed=True, connection="weak")
        out.append(
            {
                "nodes": nodes,
                "edges": e,
                "runs": runs,
                "strong": int(strong),
                "strongOf": [int(v) for v in labels],
                "weak": int(weak),
            }
        )
    return out


def reach(seed):
    """A grid of streets with some left out; what is reached from a node on foot at 1.25 m/s, as lines and as an area 20 m wide on either side."""
    r = random.Random(seed)
    size, step = 9, 110.0
    places = {(i, j): (i * step + r.uniform(-25, 25), j * step + r.uniform(-25, 25)) for i in range(size) for j in range(size)}
    streets = []
    for i in range(size):
        for j in range(size):
            for di, dj in ((1, 0), (0, 1)):
                if i + di < size and j + dj < size and r.random() > 0.22:
                    streets.append((places[i, j], places[i + di, j + dj]))
    streets = [(tuple(round(c, 3) for c in a), tuple(round(c, 3) for c in b)) for a, b in streets]
    speed, width = 1.25, 20.0
    g = nx.Graph()
    for a, b in streets:
        g.add_edge(a, b, weight=math.dist(a, b) / speed)
    start = tuple(round(c, 3) for c in places[4, 4])
    time = nx.single_source_dijkstra_path_length(g, start)
    limits = []
    for limit in (120, 240, 360):
        parts, nodes = [], []
        for a, b in streets:
            seconds = math.dist(a, b) / speed
            line = LineString([a, b])
            s = min(1, max(0, (limit - time.get(a, math.inf)) / seconds))
            t = min(1, max(0, (limit - time.get(b, math.inf)) / seconds))
            if s + t >= 1:
                parts.append(line)
            else:
                if s > 0:
                    parts.append(substring(line, 0, s, normalized=True))
                if t > 0:
                    parts.append(substring(line, 1 - t, 1, normalized=True))
        nodes = [Point(p) for p, t in time.items() if t <= limit]
        # Flat ends (2): the area ends where the time does.
        area = unary_union([p.buffer(width, 16, cap_style=2) for p in parts] + [p.buffer(width, 16) for p in nodes])
        limits.append(
            {
                "limit": limit,
                "length": sum(p.length for p in parts),
                "area": area.area,
                "holes": sum(len(g.interiors) for g in (area.geoms if area.geom_type == "MultiPolygon" else [area])),
            }
        )
    return {"streets": streets, "start": start, "speed": speed, "width": width, "limits": limits}


def tours():
    """Stops in a plane: the shortest way from the first to the last over all others, by trying every order."""
    import itertools

    out = []
    for seed, n in ((5, 5), (6, 7), (7, 8)):
        r = random.Random(seed)
        at = [(round(r.uniform(0, 1000), 2), round(r.uniform(0, 1000), 2)) for _ in range(n)]
        best = min(
            sum(math.dist(at[a], at[b]) for a, b in zip((0, *o, n - 1), (*o, n - 1)))
            for o in itertools.permutations(range(1, n - 1))
        )
        out.append({"places": at, "length": best})
    return out


OUT.write_text(
    json.dumps(
        {
            "made": {"networkx": nx.__version__, "shapely": shapely.__version__, "numpy": np.__version__},
            "costs": least_costs(),
            "reach": reach(11),
            "tours": tours(),
        },
        separators=(",", ":"),
    )
    + "\n"
)
print(OUT, OUT.stat().st_size)
