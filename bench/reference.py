# The same work on the same grids by NumPy, SciPy and scikit-image; prints JSON of seconds. Called by bench/main.ts.
import json, sys, time
import numpy as np
size = int(sys.argv[1])
z = np.fromfile(sys.argv[2], dtype=np.float32).reshape(size, size)
out = {}
def clock(name, f):
    t = time.perf_counter(); f(); out[name] = time.perf_counter() - t
def horn():
    p = np.pad(z, 1, mode="edge")
    gx = ((p[:-2, 2:] + 2 * p[1:-1, 2:] + p[2:, 2:]) - (p[:-2, :-2] + 2 * p[1:-1, :-2] + p[2:, :-2])) / np.float32(80)
    gy = ((p[2:, :-2] + 2 * p[2:, 1:-1] + p[2:, 2:]) - (p[:-2, :-2] + 2 * p[:-2, 1:-1] + p[:-2, 2:])) / np.float32(80)
    return gx, gy
clock("slope", lambda: (lambda g: np.degrees(np.arctan(np.hypot(*g))))(horn()))
def shade():
    gx, gy = horn()
    return np.clip((0.7071 + 0.5 * gx * -1 + 0.5 * gy) / np.sqrt(1 + gx * gx + gy * gy), 0, None) * 255
clock("hillshade", shade)
half = size // 2 + 8
clock("mosaic", lambda: (lambda o: [o.__setitem__((slice(0, None), slice(0, half)), z[:, :half]), o.__setitem__((slice(None), slice(size - half, None)), z[:, size - half:])])(np.full((size, size), np.nan, np.float32)))
try:
    from scipy.ndimage import map_coordinates
    r, c = np.meshgrid(np.arange(size) * 0.999 + 0.3, np.arange(size) * 0.999 + 0.2, indexing="ij")
    clock("reproject", lambda: map_coordinates(z, [r, c], order=1, mode="nearest"))
except ImportError: pass
try:
    from skimage.morphology import reconstruction
    seed = np.full_like(z, z.max()); seed[0], seed[-1], seed[:, 0], seed[:, -1] = z[0], z[-1], z[:, 0], z[:, -1]
    clock("fill", lambda: reconstruction(seed, z, method="erosion", footprint=np.ones((3, 3))))
except ImportError: pass
try:
    import contourpy
    def contours():
        g = contourpy.contour_generator(z=z, name="serial", line_type="Separate")
        lo, hi = float(z.min()), float(z.max())
        for k in range(1, 21): g.lines(lo + k * (hi - lo) / 21)
    clock("contours, 20", contours)
except ImportError: pass
print(json.dumps(out))
