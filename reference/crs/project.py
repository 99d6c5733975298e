# Step 2: what PROJ (through pyproj, without grid files) makes of those places, in each system, x/easting first.
import json, sys
from pyproj import Transformer
out = []
for code, lon, lat in json.load(sys.stdin):
    try:
        t = Transformer.from_crs(4326, code, always_xy=True)
        x, y = t.transform(lon, lat)
        out.append([code, lon, lat, x, y])
    except Exception:
        pass
json.dump(out, sys.stdout)
