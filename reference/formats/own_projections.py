"""Projections without an EPSG code as GeoTIFF keys (written by GDAL through rasterio), as well-known text of three kinds and as the
attributes of the CF conventions (both by pyproj), each with a place projected by PROJ.

Run with Debian's python3-rasterio and python3-pyproj from the project's root: python3 reference/formats/own_projections.py
Writes reference/fixtures/own-projections.json: for each projection the file in base64, the texts, the attributes, and longitude, latitude -> x, y.
"""

import base64
import json
import pathlib

import numpy as np
import pyproj
import rasterio
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

CASES = {
    "transverse Mercator": ("+proj=tmerc +lat_0=57.5 +lon_0=-20.3 +k=0.9998 +x_0=40000 +y_0=-15000 +datum=WGS84 +units=m", (-20.4, 58.2)),
    "Mercator": ("+proj=merc +lon_0=-20 +k=0.98 +x_0=1000 +y_0=2000 +datum=WGS84 +units=m", (-20.4, 58.2)),
    "Lambert conic, two parallels": ("+proj=lcc +lat_0=50 +lon_0=-18 +lat_1=46 +lat_2=58 +x_0=600000 +y_0=200000 +datum=WGS84 +units=m", (-20.4, 54.2)),
    "Lambert conic, one parallel": ("+proj=lcc +lat_1=49 +lat_0=49 +lon_0=3 +k_0=0.99988 +x_0=600000 +y_0=200000 +ellps=GRS80 +units=m", (4.1, 48.3)),
    "azimuthal, equal area": ("+proj=laea +lat_0=56 +lon_0=-19 +x_0=100 +y_0=200 +datum=WGS84 +units=m", (-20.4, 58.2)),
    "Albers": ("+proj=aea +lat_0=23 +lon_0=-96 +lat_1=29.5 +lat_2=45.5 +x_0=0 +y_0=0 +datum=WGS84 +units=m", (-81.2, 36.4)),
    "polar stereographic": ("+proj=stere +lat_0=90 +lat_ts=71 +lon_0=-39 +x_0=0 +y_0=0 +datum=WGS84 +units=m", (-45.3, 74.1)),
    "oblique stereographic": ("+proj=sterea +lat_0=52 +lon_0=5.4 +k=0.9999 +x_0=155000 +y_0=463000 +ellps=bessel +units=m", (5.9, 52.6)),
    "plate carree": ("+proj=eqc +lat_ts=40 +lon_0=-20 +x_0=0 +y_0=0 +datum=WGS84 +units=m", (-20.4, 58.2)),
    "sinusoidal": ("+proj=sinu +lon_0=-20 +x_0=0 +y_0=0 +datum=WGS84 +units=m", (-21.4, 48.2)),
    "Lambert conic, feet": ("+proj=lcc +lat_0=33.75 +lon_0=-79 +lat_1=34.333333 +lat_2=36.166667 +x_0=609601.22 +y_0=0 +datum=NAD83 +units=us-ft", (-79.8, 35.1)),
    "sphere": ("+proj=sinu +lon_0=0 +x_0=0 +y_0=0 +R=6371007.181 +units=m", (10.5, 45.25)),
    "transverse Mercator, other ellipsoid": ("+proj=tmerc +lat_0=0 +lon_0=15 +k=1 +x_0=500000 +y_0=0 +a=6378245 +rf=298.3 +units=m", (14.6, 50.2)),
}

out = {"package": f"rasterio {rasterio.__version__}, pyproj {pyproj.__version__}", "cases": []}
for name, (proj, (lon, lat)) in CASES.items():
    crs = pyproj.CRS.from_proj4(proj)
    # Longitude and latitude of the very datum, so that no shift comes in.
    x, y = pyproj.Transformer.from_crs(crs.geodetic_crs, crs, always_xy=True).transform(lon, lat)
    with MemoryFile() as f:
        with f.open(driver="GTiff", width=2, height=2, count=1, dtype="uint8", crs=crs.to_wkt(), transform=from_origin(x, y, 10, 10)) as d:
            d.write(np.array([[[1, 2], [3, 4]]], "uint8"))
        data = f.read()
    wkt = {}
    for kind in ("WKT1_ESRI", "WKT1_GDAL", "WKT2_2019"):
        try:
            wkt[kind] = crs.to_wkt(kind)
        except pyproj.exceptions.CRSError:
            wkt[kind] = ""
    cf = {k: v for k, v in crs.to_cf().items() if k != "crs_wkt"}
    # What the attributes keep of it, read back by PROJ: a scale of a conic with one parallel has no place among them.
    back = pyproj.CRS.from_cf(dict(cf, latitude_of_projection_origin=cf["standard_parallel"]) if name.endswith("one parallel") else cf) if "grid_mapping_name" in cf else crs
    cfx, cfy = pyproj.Transformer.from_crs(back.geodetic_crs, back, always_xy=True).transform(lon, lat)
    out["cases"].append(dict(name=name, proj=proj, cfx=cfx, cfy=cfy, lon=lon, lat=lat, x=x, y=y, tiff=base64.b64encode(data).decode(), wkt=wkt, cf=cf))
pathlib.Path("reference/fixtures/own-projections.json").write_text(json.dumps(out))
