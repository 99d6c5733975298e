# Reads with rasterio (GDAL) what Helk's command line wrote of grids whose projections have no EPSG code, and says how far PROJ then puts a
# place from where it was. Needs Debian's python3-rasterio and python3-pyproj. Run from the project's root:
# /usr/bin/python3 reference/formats/read_back_projections.py
import base64, json, subprocess, tempfile
import pyproj
import rasterio
dir = tempfile.mkdtemp()
worst = 0
for c in json.load(open("reference/fixtures/own-projections.json"))["cases"]:
    with open(f"{dir}/own.tif", "wb") as f:
        f.write(base64.b64decode(c["tiff"]))
    subprocess.run(["./helk", "run", "raster.rescale", "--in", f"raster={dir}/own.tif", "--set", "factor=2", "--set", "unit=m", "--out", dir], check=True, capture_output=True)
    with rasterio.open(f"{dir}/rescaled.tif") as f:
        crs = pyproj.CRS.from_wkt(f.crs.to_wkt()) if f.crs else None
    if crs is None:
        print(f"{c['name']:38} NO SYSTEM"); worst = float("inf"); continue
    x, y = pyproj.Transformer.from_crs(crs.geodetic_crs, crs, always_xy=True).transform(c["lon"], c["lat"])
    off = ((x - c["x"]) ** 2 + (y - c["y"]) ** 2) ** 0.5 * crs.axis_info[0].unit_conversion_factor
    worst = max(worst, off)
    print(f"{c['name']:38} {off:.6f} m   {crs.name}")
print("worst", worst, "m", "all as they were" if worst < 0.01 else "SOMETHING DIFFERS")
