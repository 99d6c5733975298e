"""Small NetCDF files written by SciPy (classic), netCDF4 (NetCDF-4) and h5py, with the values they hold after unpacking.

Run: /usr/bin/python3 reference/formats/netcdf.py
"""
import json, pathlib
import h5py, netCDF4, numpy as np
from scipy.io import netcdf_file

out = pathlib.Path(__file__).parent.parent / "fixtures" / "netcdf"
rng = np.random.default_rng(7)
expected = {}


def keep(name, values, **more):
    v = np.asarray(values, dtype=float)
    expected[name] = {"values": [None if np.isnan(x) else float(x) for x in v.ravel()], "shape": list(v.shape), **more}


# Classic, latitudes from the south, floats with a fill value, depth in km.
lat, lon = np.linspace(58.0, 58.4, 5), np.linspace(-20.6, -20.0, 7)
depth = rng.uniform(0.01, 2, (5, 7)).astype("f4")
depth[1, 2] = -999
f = netcdf_file(out / "classic.nc", "w")
f.createDimension("lat", 5), f.createDimension("lon", 7)
for n, v, u in (("lat", lat, b"degrees_north"), ("lon", lon, b"degrees_east")):
    c = f.createVariable(n, "d", (n,))
    c[:] = v
    c.units = u
d = f.createVariable("depth", "f", ("lat", "lon"))
d[:] = depth
d.units = b"km"
d.positive = b"down"
d._FillValue = np.float32(-999)
f.close()
keep("classic.nc", np.where(depth == -999, np.nan, depth)[::-1], west=lon[0] - 0.05, north=58.4 + 0.05)

# Classic with two record variables of odd length (padding), short packed values, three times.
f = netcdf_file(out / "records.nc", "w", version=2)
f.createDimension("time", None), f.createDimension("y", 3), f.createDimension("x", 3)
for n, v in (("x", [100.0, 200.0, 300.0]), ("y", [1300.0, 1200.0, 1100.0])):
    c = f.createVariable(n, "d", (n,))
    c[:] = v
    c.units = b"m"
    c.standard_name = f"projection_{n}_coordinate".encode()
t = f.createVariable("time", "d", ("time",))
t.units = b"days since 2024-01-30 00:00:00"
temp = f.createVariable("temp", "h", ("time", "y", "x"))
temp.scale_factor, temp.add_offset, temp.units = 0.1, 5.0, b"degC"
temp._FillValue = np.int16(-32767)
wet = f.createVariable("wet", "b", ("time", "y", "x"))
raw = rng.integers(-200, 200, (3, 3, 3)).astype("i2")
raw[1, 1, 1] = -32767
for k in range(3):
    t[k] = k * 30
    temp[k] = raw[k]
    wet[k] = (raw[k] % 5).astype("i1")
f.close()
for k in range(3):
    keep(f"records.nc#temp:{k}", np.where(raw[k] == -32767, np.nan, raw[k] * 0.1 + 5))
    keep(f"records.nc#wet:{k}", raw[k] % 5)
expected["records.nc#steps"] = ["2024-01-30", "2024-02-29", "2024-03-30"]

# NetCDF-4: UTM grid mapping, deflate and shuffle, north first, default fill; flags as classes; longitudes 0 to 360.
n4 = netCDF4.Dataset(out / "four.nc", "w")
n4.createDimension("y", 4), n4.createDimension("x", 6)
x = n4.createVariable("x", "f8", ("x",)); x[:] = 500000 + 100 * np.arange(6); x.units = "m"; x.axis = "X"
y = n4.createVariable("y", "f8", ("y",)); y[:] = 6450000 - 100 * np.arange(4); y.units = "m"; y.axis = "Y"
m = n4.createVariable("crs", "i4")
m.grid_mapping_name = "transverse_mercator"
m.longitude_of_central_meridian, m.latitude_of_projection_origin = -21.0, 0.0
m.scale_factor_at_central_meridian, m.false_easting, m.false_northing = 0.9996, 500000.0, 0.0
h = n4.createVariable("height", "f4", ("y", "x"), zlib=True, shuffle=True)
hv = rng.uniform(0, 700, (4, 6)).astype("f4")
h[:] = hv
h[2, 3] = netCDF4.default_fillvals["f4"]
h.units, h.standard_name, h.grid_mapping = "m", "surface_altitude", "crs"
c = n4.createVariable("cover", "i1", ("y", "x"), fill_value=-1)
cv = rng.integers(1, 4, (4, 6)).astype("i1")
c[:] = cv
c.flag_values, c.flag_meanings = np.array([1, 2, 3], "i1"), "bare_ground meadow moor"
c.grid_mapping = "crs"
n4.close()
hv = hv.astype(float)
hv[2, 3] = np.nan
keep("four.nc#height", hv)
keep("four.nc#cover", cv)

n4 = netCDF4.Dataset(out / "round.nc", "w")
n4.createDimension("lat", 3), n4.createDimension("lon", 8)
for n, v, u in (("lat", [-60, 0, 60], "degrees_north"), ("lon", 22.5 + 45 * np.arange(8), "degrees_east")):
    q = n4.createVariable(n, "f4", (n,)); q[:] = v; q.units = u
z = n4.createVariable("z", "i4", ("lon", "lat"))
zv = np.arange(24).reshape(8, 3)
z[:] = zv
n4.close()
keep("round.nc", np.roll(zv.T[::-1], 4, axis=1), west=-180, north=90)

# HDF5 without dimension scales: names alone say which array belongs to which side.
with h5py.File(out / "plain.h5", "w") as g:
    g["lat"], g["lon"] = np.linspace(10, 11, 5), np.linspace(20, 22, 6)
    v = rng.integers(0, 9, (5, 6)).astype("i2")
    g.create_dataset("count", data=v, chunks=(2, 3), compression="gzip")
keep("plain.h5", v[::-1])

# Rows at uneven latitudes, as weather models have them.
f = netcdf_file(out / "uneven.nc", "w")
f.createDimension("lat", 4), f.createDimension("lon", 4)
for n, v, u in (("lat", [1, 2, 4, 8], b"degrees_north"), ("lon", [1, 2, 3, 4], b"degrees_east")):
    q = f.createVariable(n, "d", (n,)); q[:] = v; q.units = u
f.createVariable("v", "f", ("lat", "lon"))[:] = np.ones((4, 4))
f.close()

(out / "netcdf.json").write_text(json.dumps(expected))
