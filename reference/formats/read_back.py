# Reads a GeoTIFF that Helk wrote with rasterio and prints what an outsider sees. Run: python3 reference/formats/read_back.py FILE
import sys
import numpy as np
import rasterio
with rasterio.open(sys.argv[1]) as f:
    a = f.read(masked=True)
    print(f.crs, f.transform, f.shape, f.dtypes, "nodata", f.nodata, "overviews", f.overviews(1), "block", f.block_shapes[0], f.compression, f.units, f.descriptions)
    print("valid", a.count(), "min", a.min(), "max", a.max(), "mean", a.astype("float64").mean())
