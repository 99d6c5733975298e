// Step 1 of making packages/core/data/epsg.json: the middle of every system's area of use.
import all from 'epsg-index/all.json' with { type: 'json' };
const out = [];
for (const c of Object.values(all)) {
  if (!c.proj4 || !c.bbox || !/CRS/.test(c.kind)) continue;
  if (/GEOCCS|VERT|COMPOUND/.test(c.kind) || /geocent/.test(c.proj4)) continue;
  const [n, w, s, e] = c.bbox;
  const east = e >= w ? e : e + 360;
  let lon = (w + east) / 2;
  if (lon > 180) lon -= 360;
  out.push([Number(c.code), lon, (n + s) / 2]);
}
process.stdout.write(JSON.stringify(out));
