// Step 1 of making packages/core/data/epsg.json: two places in every system's area of use.
import all from 'epsg-index/all.json' with { type: 'json' };
const out = [];
for (const c of Object.values(all)) {
  if (!c.proj4 || !c.bbox || !/CRS/.test(c.kind)) continue;
  if (/GEOCCS|VERT|COMPOUND/.test(c.kind) || /geocent/.test(c.proj4)) continue;
  const [n, w, s, e] = c.bbox;
  const east = e >= w ? e : e + 360;
  // The middle alone would not tell a sphere from an ellipsoid on the equator: a second place off both axes.
  for (const [u, v] of [
    [0.5, 0.5],
    [0.3, 0.8],
  ]) {
    let lon = w + u * (east - w);
    if (lon > 180) lon -= 360;
    out.push([Number(c.code), lon, s + v * (n - s)]);
  }
}
process.stdout.write(JSON.stringify(out));
