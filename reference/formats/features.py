# Small vector files written by Fiona (GDAL), with what they hold, for the readers' tests. Needs Debian's python3-fiona.
# Run from the project's root: /usr/bin/python3 reference/formats/features.py
import fiona, json, os, zipfile, shutil
from fiona.crs import from_epsg
out = "reference/fixtures/features"
rows = [
    {"type": "Polygon", "coordinates": [[(0, 0), (10, 0), (10, 10), (0, 10), (0, 0)], [(2, 2), (2, 4), (4, 4), (4, 2), (2, 2)]]},
    {"type": "MultiPolygon", "coordinates": [[[(20, 0), (30, 0), (30, 10), (20, 0)]], [[(40, 0), (50, 0), (50, 10), (40, 0)]]]},
    None,
]
shift = lambda g: g and json.loads(json.dumps(g), parse_float=float) and {"type": g["type"], "coordinates": move(g["coordinates"])}
def move(c):
    return (c[0] + 500000.0, c[1] + 6460000.0) if isinstance(c[0], (int, float)) else [move(x) for x in c]
props = [{"name": "Ærø sund", "depth": 1.25, "count": 7, "when": "2024-05-17"}, {"name": None, "depth": None, "count": -3, "when": None}, {"name": "x", "depth": 0.0, "count": None, "when": "1978-01-02"}]
schema = {"geometry": "Polygon", "properties": {"name": "str:40", "depth": "float:18.6", "count": "int:9", "when": "date"}}
def write(path, driver, schema, geoms, crs=from_epsg(32627), **kw):
    if os.path.exists(path): os.remove(path)
    with fiona.open(path, "w", driver=driver, crs=crs, schema=schema, **kw) as dst:
        for g, p in zip(geoms, props):
            dst.write({"type": "Feature", "geometry": shift(g), "properties": {k: p[k] for k in schema["properties"]}})
write(f"{out}/areas.gpkg", "GPKG", {**schema, "geometry": "Unknown"}, rows, layer="areas")
for ext in ("shp", "shx", "dbf", "prj", "cpg"):
    if os.path.exists(f"{out}/areas.{ext}"): os.remove(f"{out}/areas.{ext}")
write(f"{out}/areas.shp", "ESRI Shapefile", schema, rows, encoding="UTF-8")
with zipfile.ZipFile(f"{out}/areas.zip", "w", zipfile.ZIP_DEFLATED) as z:
    for ext in ("shp", "shx", "dbf", "prj", "cpg"):
        z.write(f"{out}/areas.{ext}", f"folder/areas.{ext}")
        os.remove(f"{out}/areas.{ext}")
write(f"{out}/areas.fgb", "FlatGeobuf", {**schema, "geometry": "MultiPolygon", "properties": {k: v for k, v in schema["properties"].items() if k != "when"}},
      [{"type": "MultiPolygon", "coordinates": [g["coordinates"]] if g["type"] == "Polygon" else g["coordinates"]} for g in rows[:2]])
# Points with heights and measures, Latin-1 texts without a .cpg.
pts = [(500000.0 + i, 6460000.0, 10.0 * i, 0.5) for i in range(3)]
with fiona.open(f"{out}/heights.shp", "w", driver="ESRI Shapefile", crs=from_epsg(32627), schema={"geometry": "3D Point", "properties": {"name": "str:10"}}, encoding="ISO-8859-1") as dst:
    for p, n in zip(pts, ("Ø", "å", "z")):
        dst.write({"type": "Feature", "geometry": {"type": "Point", "coordinates": p[:3]}, "properties": {"name": n}})
if os.path.exists(f"{out}/heights.cpg"): os.remove(f"{out}/heights.cpg")
with zipfile.ZipFile(f"{out}/heights.zip", "w", zipfile.ZIP_DEFLATED) as z:
    for ext in ("shp", "shx", "dbf", "prj"):
        z.write(f"{out}/heights.{ext}", f"heights.{ext}")
        os.remove(f"{out}/heights.{ext}")
