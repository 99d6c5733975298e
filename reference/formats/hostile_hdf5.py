"""NetCDF-4 (HDF5) files that reach for what is not theirs: made with h5py (Debian's python3-h5py), into reference/fixtures/hostile.

Each holds a grid on two axes that would be taken in if its values lay in the file: in another file by external storage, behind an
external link, gathered by a virtual dataset, and packed by filters that the HDF5 library itself lacks. Run from the root of the
repository: /usr/bin/python3 reference/formats/hostile_hdf5.py
"""

import os

import h5py
import numpy as np

OUT = "reference/fixtures/hostile"
os.makedirs(OUT, exist_ok=True)


def begin(name):
    f = h5py.File(f"{OUT}/{name}.nc", "w", libver="earliest")
    for axis, n, unit in (("lat", 4, "degrees_north"), ("lon", 5, "degrees_east")):
        d = f.create_dataset(axis, data=np.arange(n, dtype="f8"))
        d.attrs["units"] = unit
        d.make_scale(axis)
    return f


def attach(f, d):
    d.dims[0].attach_scale(f["lat"])
    d.dims[1].attach_scale(f["lon"])


def with_dcpl(f, name, dcpl, dtype=h5py.h5t.NATIVE_UINT8):
    space = h5py.h5s.create_simple((4, 5))
    h5py.h5d.create(f.id, name.encode(), dtype, space, dcpl=dcpl)
    attach(f, f[name])


# Values outside: the first twenty bytes of a file that every such machine has.
with begin("external-storage") as f:
    dcpl = h5py.h5p.create(h5py.h5p.DATASET_CREATE)
    dcpl.set_external(b"/etc/passwd", 0, 20)
    with_dcpl(f, "z", dcpl)

with begin("external-link") as f:
    f["z"] = h5py.ExternalLink("/etc/other.nc", "/z")

with begin("virtual") as f:
    layout = h5py.VirtualLayout(shape=(4, 5), dtype="f4")
    layout[:] = h5py.VirtualSource("/etc/other.nc", "z", shape=(4, 5))
    f.create_virtual_dataset("z", layout, fillvalue=7)
    attach(f, f["z"])

with begin("filter-lzf") as f:
    attach(f, f.create_dataset("z", data=np.arange(20, dtype="f4").reshape(4, 5), chunks=(4, 5), compression="lzf"))

# A filter that nobody has: optional, so that it may be written without.
with begin("filter-unknown") as f:
    dcpl = h5py.h5p.create(h5py.h5p.DATASET_CREATE)
    dcpl.set_chunk((4, 5))
    dcpl.set_filter(32999, h5py.h5z.FLAG_OPTIONAL, ())
    with_dcpl(f, "z", dcpl)
    f["z"][...] = np.arange(20).reshape(4, 5)

# A grid of which nearly nothing is stored: a hundred thousand million cells in chunks that were never written.
with begin("promises") as f:
    for axis, n, unit in (("y", 400_000, "degrees_north"), ("x", 300_000, "degrees_east")):
        d = f.create_dataset(axis, shape=(n,), chunks=(1000,), dtype="f8")
        d.attrs["units"] = unit
        d.make_scale(axis)
    z = f.create_dataset("z", shape=(400_000, 300_000), chunks=(1000, 1000), dtype="f4")
    z.dims[0].attach_scale(f["y"])
    z.dims[1].attach_scale(f["x"])
