# Check values of overlay and areas on the North Carolina counties that ship with R's sf (nc.shp; NAD27), with Shapely (GEOS) and pyproj.
# Needs Debian's python3-shapely, python3-pyproj, python3-fiona, r-cran-sf and r-cran-classint. Run from the project's root:
#   /usr/bin/python3 reference/features/overlay.py
import json, subprocess
import fiona, shapely, shapely.wkt, shapely.geos, pyproj
from shapely.geometry import shape, mapping, box
from shapely.ops import transform, unary_union

path = subprocess.run(["Rscript", "-e", 'cat(system.file("shape/nc.shp", package="sf"))'], capture_output=True, text=True).stdout.strip()
counties = []
with fiona.open(path) as src:
    for f in src:
        p = f["properties"]
        counties.append((shape(f["geometry"]), {"NAME": p["NAME"], "BIR74": p["BIR74"], "SID74": p["SID74"]}))
# Degrees are kept as they are and called WGS 84: the datum does not matter to a check of areas.
to_utm = pyproj.Transformer.from_crs(4326, 32617, always_xy=True).transform
geod = pyproj.Geod(ellps="WGS84")
round_to = lambda g, n: shapely.wkt.loads(shapely.wkt.dumps(g, rounding_precision=n))
degrees = [(round_to(g, 6), p) for g, p in counties]
with open("reference/fixtures/nc.geojson", "w") as out:
    json.dump({"type": "FeatureCollection", "features": [
        {"type": "Feature", "properties": p, "geometry": mapping(g)} for g, p in degrees]}, out, separators=(",", ":"))
geodesic = [abs(geod.geometry_area_perimeter(g)[0]) for g, _ in degrees]
perimeter = [geod.geometry_area_perimeter(g)[1] for g, _ in degrees]
plane = [transform(to_utm, g) for g, _ in degrees]
w, s, e, n = unary_union(plane).bounds
size = 40000
x0, y0 = (w // size) * size, (s // size) * size
net = [box(x, y, x + size, y + size) for x in range(int(x0), int(e) + size, size) for y in range(int(y0), int(n) + size, size)]
pieces = [a.intersection(b) for a in plane for b in net]
pieces = [p for p in pieces if p.area > 0]
land, all_net = unary_union(plane), unary_union(net)
groups = {}
for g, (_, p) in zip(plane, degrees):
    groups.setdefault(p["NAME"][0], []).append(g)
text = subprocess.run(["Rscript", "-e",
    'suppressMessages(library(classInt)); x <- read.csv(file("stdin"))$v; for (k in c(3,5,7)) { b <- classIntervals(x, k, style="fisher")$brks; cat(k, sprintf("%.10g", b), "\\n") }'],
    input="v\n" + "\n".join(str(p["BIR74"]) for _, p in degrees), capture_output=True, text=True).stdout
fisher = {l.split()[0]: [float(v) for v in l.split()[1:]] for l in text.strip().splitlines()}
json.dump({
    "shapely": shapely.__version__, "geos": shapely.geos.geos_version_string if hasattr(shapely, "geos") else "", "pyproj": pyproj.__version__,
    "geodesicArea": geodesic, "geodesicPerimeter": perimeter, "planarArea": [g.area for g in plane],
    "net": {"x0": x0, "y0": y0, "size": size, "cells": [list(b.bounds) for b in net]},
    "intersection": {"pieces": len(pieces), "area": sum(p.area for p in pieces)},
    "differenceArea": land.difference(all_net).area + 0.0, "netWithoutLand": all_net.difference(land).area,
    "unionArea": land.union(all_net).area, "symmetricArea": land.symmetric_difference(all_net).area,
    "dissolve": {k: {"area": unary_union(v).area, "length": unary_union(v).length} for k, v in sorted(groups.items())},
    "buffer5km": unary_union(plane).buffer(5000, 32).area,
    "centroid": [list(g.centroid.coords[0]) for g in plane[:10]],
    "fisher": fisher,
}, open("reference/fixtures/overlay.json", "w"), separators=(",", ":"))
