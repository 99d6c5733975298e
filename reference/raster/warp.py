# A grid in degrees brought to UTM zone 27N: target cell centres to longitude and latitude by pyproj, values by
# scipy.ndimage.map_coordinates (order 1), interior only. Elevations are a smooth formula rounded to 1/8 m.
import json
import numpy as np
from pyproj import Transformer
from scipy.ndimage import map_coordinates
cols, rows, d = 120, 90, 1 / 3600
x0, y0 = -20.45, 58.25
j, i = np.meshgrid(np.arange(cols), np.arange(rows))
z = np.round((300 + 120 * np.sin(i / 9.0) + 80 * np.cos(j / 7.0) + 0.5 * i) * 8) / 8
t = Transformer.from_crs(32627, 4326, always_xy=True)
f = Transformer.from_crs(4326, 32627, always_xy=True)
cx, cy = f.transform(x0 + cols * d / 2, y0 - rows * d / 2)
size = 30.0
gx0, gy0 = np.floor(cx / size) * size - 20 * size, np.floor(cy / size) * size + 20 * size
gc, gr = np.meshgrid(np.arange(40), np.arange(40))
lon, lat = t.transform(gx0 + (gc + 0.5) * size, gy0 - (gr + 0.5) * size)
u, v = (lon - x0) / d - 0.5, (y0 - lat) / d - 0.5
values = map_coordinates(z, [v, u], order=1, mode="constant", cval=np.nan)
near = map_coordinates(z, [np.round(v), np.round(u)], order=0, mode="constant", cval=np.nan)
json.dump({"source": {"x": x0, "y": y0, "d": d, "columns": cols, "rows": rows, "cells": z.ravel().tolist()},
           "target": {"x": gx0, "y": gy0, "size": size, "columns": 40, "rows": 40},
           "bilinear": values.ravel().tolist(), "nearest": near.ravel().tolist()}, open("reference/fixtures/warp.json", "w"))
# CRS: places through pyproj for the systems the tests use
pts = [(32627, -20.4, 58.2), (3035, 10.0, 52.0), (3857, -20.4, 58.2), (28992, 5.4, 52.2), (27700, -2.0, 53.0), (31370, 4.4, 50.8), (2056, 7.44, 46.95), (5070, -96.0, 38.0), (32719, -70.0, -33.0)]
out = []
for code, lon, lat in pts:
    x, y = Transformer.from_crs(4326, code, always_xy=True).transform(lon, lat)
    out.append([code, lon, lat, x, y])
json.dump(out, open("reference/fixtures/crs.json", "w"))
