"""Scale, convergence and geodesic lengths at places of several systems, by pyproj.

python3 reference/sheet/ground.py > reference/fixtures/sheet-ground.json
"""
import json
import math

import pyproj
from pyproj import CRS, Geod, Proj, Transformer

geod = Geod(ellps="WGS84")
CASES = [
    # system, longitude, latitude
    (32627, -21.5, 58.2), (32627, -23.8, 64.0), (32627, -19.0, 0.5),
    (32733, 17.9, -33.9), (3857, 10.0, 0.0), (3857, 10.0, 45.0), (3857, -70.0, 70.0),
    (3035, 10.0, 52.0), (3035, -8.0, 38.0), (3035, 28.0, 66.0),
    (5070, -96.0, 39.0), (5070, -120.0, 47.0), (2193, 172.0, -41.0), (3413, -20.0, 72.0), (3031, 40.0, -75.0),
]
out = []
for code, lon, lat in CASES:
    crs = CRS.from_epsg(code)
    f = Proj(crs).get_factors(lon, lat)
    to = Transformer.from_crs(crs, 4326, always_xy=True)
    back = Transformer.from_crs(4326, crs, always_xy=True)
    x, y = back.transform(lon, lat)
    lines = []
    for half in (500.0, 20000.0):
        (a, b), (c, d) = to.transform(x - half, y), to.transform(x + half, y)
        lines.append({"half": half, "metres": geod.inv(a, b, c, d)[2]})
    out.append({
        "code": code, "lon": lon, "lat": lat, "x": x, "y": y,
        "proj4": crs.to_proj4(),
        "convergence": f.meridian_convergence,
        "meridional": f.meridional_scale, "parallel": f.parallel_scale,
        "lines": lines,
    })
print(json.dumps({"pyproj": pyproj.__version__, "proj": pyproj.proj_version_str, "places": out}, indent=1))
