# Curvature, position, ruggedness and contour lengths of R's volcano by NumPy, SciPy and scikit-image.
import json
import numpy as np
from scipy.ndimage import convolve, generic_filter
from skimage.measure import find_contours
z = np.loadtxt("reference/fixtures/volcano.csv", delimiter=",")
L = 10.0
def sh(dy, dx): return z[1 + dy : z.shape[0] - 1 + dy, 1 + dx : z.shape[1] - 1 + dx]
z1, z2, z3, z4, z5, z6, z7, z8, z9 = (sh(dy, dx) for dy in (-1, 0, 1) for dx in (-1, 0, 1))
D = ((z4 + z6) / 2 - z5) / L**2
E = ((z2 + z8) / 2 - z5) / L**2
F = (-z1 + z3 + z7 - z9) / (4 * L**2)
G = (-z4 + z6) / (2 * L)
H = (z2 - z8) / (2 * L)
with np.errstate(all="ignore"):
    s = G * G + H * H
    profile = np.where(s == 0, 0, -2 * (D * G * G + E * H * H + F * G * H) / s)
    plan = np.where(s == 0, 0, -2 * (D * H * H + E * G * G - F * G * H) / s)
tri = np.sqrt(sum((n - z5) ** 2 for n in (z1, z2, z3, z4, z6, z7, z8, z9)))
yy, xx = np.mgrid[-3:4, -3:4]
disc = (xx**2 + yy**2 <= 9).astype(float); disc[3, 3] = 0
sums = convolve(z, disc, mode="constant"); counts = convolve(np.ones_like(z), disc, mode="constant")
tpi = z - sums / counts
full = disc.copy(); full[3, 3] = 1
med = generic_filter(z, np.nanmedian, footprint=full, mode="constant", cval=np.nan)
sd = generic_filter(z, lambda v: np.nanstd(v, ddof=1), footprint=full, mode="constant", cval=np.nan)
def length(level):
    t = 0.0
    for c in find_contours(z, level): t += np.hypot(*np.diff(c, axis=0).T).sum()
    return t * L
levels = [105, 125, 145, 165, 185]
pick = lambda a: [[round(float(v), 10) for v in r] for r in a[::7, ::7]]
json.dump({"profile": pick(profile), "plan": pick(plan), "mean": pick(-(D + E)), "tri": pick(tri), "tpi": pick(tpi), "median": pick(med), "sd": pick(sd),
           "contours": [[l, length(l + 0.5)] for l in levels]}, open("reference/fixtures/surface.json", "w"))
