# Small GeoTIFFs written by rasterio (libtiff) in every variant that is read, and their values.
import json, os
import numpy as np
import rasterio
from rasterio.transform import from_origin
out = {}
d = "reference/fixtures/tiff"
rows, cols = 37, 53
i, j = np.meshgrid(np.arange(rows), np.arange(cols), indexing="ij")
def write(name, a, nodata=None, crs="EPSG:32627", bigtiff="NO", **opts):
    a = a if a.ndim == 3 else a[None]
    with rasterio.open(f"{d}/{name}.tif", "w", driver="GTiff", width=cols, height=rows, count=a.shape[0], dtype=a.dtype,
                       crs=crs, transform=from_origin(414000, 6460000, 20, 20), nodata=nodata, BIGTIFF=bigtiff, **opts) as f:
        f.write(a)
    out[name] = {"nodata": nodata, "bands": int(a.shape[0]), "type": str(a.dtype), "sum": [float(b.astype("float64").sum()) for b in a], "first": float(a[0, 0, 0]), "at_20_31": float(a[0, 20, 31])}
base = ((i * 7 + j * 13) % 120)
for t in ["int8", "uint8", "int16", "uint16", "int32", "uint32", "float32", "float64"]:
    a = base.astype(t) if t in ("uint8", "uint16", "uint32") else (base - 60).astype(t) * (1 if "int" in t else 0.37)
    write(f"{t}-deflate-tiled", a.astype(t), compress="deflate", tiled=True, blockxsize=16, blockysize=16)
a = (base - 60).astype("int16")
write("int16-strips", a)
write("int16-lzw", a, compress="lzw")
write("int16-lzw-predictor", a, compress="lzw", predictor=2)
write("float32-lzw-predictor3", (base * 0.37).astype("float32"), compress="lzw", predictor=3)
write("int16-deflate-predictor", a, compress="deflate", predictor=2, tiled=True, blockxsize=32, blockysize=32)
write("int16-packbits", a, compress="packbits")
write("int16-big", a, bigtiff="YES", compress="deflate")
write("float32-deflate-predictor3", (base * 0.37).astype("float32"), compress="deflate", predictor=3)
write("uint8-three-bands-pixel", np.stack([base, base + 50, base + 100]).astype("uint8"), interleave="pixel", compress="deflate")
write("uint16-three-bands-band", np.stack([base, base + 500, base + 1000]).astype("uint16"), interleave="band", compress="lzw")
m = a.copy(); m[5:9, 6:10] = -32768
write("int16-missing", m, nodata=-32768, compress="deflate")
f = (base * 0.5).astype("float32"); f[0:3, 0:3] = np.float32(-3.4028234663852886e38)
write("float32-missing-huge", f, nodata=float(np.float32(-3.4028234663852886e38)))
write("float32-degrees", (base * 0.5).astype("float32"), crs="EPSG:4326")
big = np.kron(base, np.ones((1, 1))).astype("int16")
rng = np.random.default_rng(1)
write("int16-lzw-noise", rng.integers(-3000, 3000, (rows, cols)).astype("int16"), compress="lzw")
json.dump(out, open("reference/fixtures/tiff.json", "w"), indent=1)
