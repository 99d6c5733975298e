# Slope, aspect and hillshade of R's volcano by array shifts in NumPy (double precision), interior cells only.
# Horn 1981: 1-2-1 weighted differences; Zevenbergen and Thorne 1987: central differences. Cell size 10 m.
import json
import numpy as np
z = np.loadtxt("reference/fixtures/volcano.csv", delimiter=",")
d = 10.0
def window(dy, dx):
    return z[1 + dy : z.shape[0] - 1 + dy, 1 + dx : z.shape[1] - 1 + dx]
nw, n, ne = window(-1, -1), window(-1, 0), window(-1, 1)
w, e = window(0, -1), window(0, 1)
sw, s, se = window(1, -1), window(1, 0), window(1, 1)
out = {}
for name, gx, gy in [
    ("horn", ((ne + 2 * e + se) - (nw + 2 * w + sw)) / (8 * d), ((nw + 2 * n + ne) - (sw + 2 * s + se)) / (8 * d)),
    ("zevenbergen-thorne", (e - w) / (2 * d), (n - s) / (2 * d)),
]:
    # gx to the east, gy to the north
    slope = np.degrees(np.arctan(np.hypot(gx, gy)))
    aspect = np.degrees(np.arctan2(-gx, -gy)) % 360
    aspect[(gx == 0) & (gy == 0)] = np.nan
    out[name] = {"slope": slope, "aspect": aspect}
    if name == "horn":
        S = np.arctan(np.hypot(gx, gy))
        A = np.arctan2(-gx, -gy)
        def shade(az, alt):
            zen = np.radians(90 - alt); az = np.radians(az)
            h = np.cos(zen) * np.cos(S) + np.sin(zen) * np.sin(S) * np.cos(az - A)
            return 255 * np.clip(h, 0, None)
        out["hillshade_315_45"] = shade(315, 45)
        out["hillshade_40_20"] = shade(40, 20)
        # Mark 1992: four lights weighted by sin^2(aspect - azimuth), which add up to 2
        out["hillshade_multiple_45"] = sum(shade(a, 45) * np.sin(A - np.radians(a)) ** 2 for a in (225, 270, 315, 360)) / 2
def plain(a):
    return [[None if np.isnan(v) else round(float(v), 9) for v in row] for row in a[::7, ::7]]
res = {"every": 7, "horn": {k: plain(v) for k, v in out["horn"].items()}, "zevenbergen-thorne": {k: plain(v) for k, v in out["zevenbergen-thorne"].items()}}
for k in out:
    if k.startswith("hill"): res[k] = plain(out[k])
json.dump(res, open("reference/fixtures/volcano-gradients.json", "w"))
