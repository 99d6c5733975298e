// Step 3: packages/core/data/epsg.json. For each system the PROJ definition that proj4js handles best: as listed, with
// rotations turned from microradians to seconds (either sign), or without the datum shift; the one nearest to PROJ wins.
// More than a metre off is said as a caution; more than two kilometres off, or not computable, is left out.
// Run: node reference/crs/centres.mjs | /usr/bin/python3 reference/crs/project.py > /tmp/c.json && node reference/crs/make-epsg.mjs /tmp/c.json
import { readFileSync, writeFileSync } from 'node:fs';
import all from 'epsg-index/all.json' with { type: 'json' };
import proj4 from 'proj4';
console.log = console.warn = console.error = () => {};
const rows = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const WGS = '+proj=longlat +datum=WGS84 +no_defs';
const places = new Map();
for (const [code, ...place] of rows) places.set(code, [...(places.get(code) ?? []), place]);
const out = [];
let dropped = 0;
for (const [code, tests] of places) {
  const c = all[code];
  let base = c.proj4.replace(/ ?\+type=crs/, '');
  if (
    /\+proj=(utm|tmerc|lcc|laea|merc|sterea|stere|aea|cass|omerc|somerc|krovak|poly|eqdc)/.test(base) &&
    !/utm/.test(base)
  ) {
    for (const [k, v] of [
      ['x_0', 0],
      ['y_0', 0],
      ['lon_0', 0],
    ])
      if (!base.includes(`+${k}=`)) base += ` +${k}=${v}`;
  }
  const candidates = [base];
  const m = /\+towgs84=([-\d.,e]+)/.exec(base);
  if (m) {
    const p = m[1].split(',').map(Number);
    if (p.length === 7) {
      for (const f of [0.206264806, -0.206264806, -1]) {
        const q = p.map((v, i) => (i >= 3 && i < 6 ? Number((v * f).toFixed(9)) : v));
        candidates.push(base.replace(m[0], `+towgs84=${q.join(',')}`));
      }
    }
    candidates.push(base.replace(m[0], '+towgs84=0,0,0'));
  }
  // Grid files are not shipped; @null is no file but the wish for no shift at all.
  if (/\+nadgrids=(?!@null)/.test(base)) {
    const bare = base.replace(/ ?\+nadgrids=\S+/, '');
    candidates.shift();
    const shifts = [
      '0,0,0',
      '446.448,-125.157,542.06,0.15,0.247,0.842,-20.489',
      '598.1,73.7,418.2,0.202,0.045,-2.455,6.7',
    ];
    for (const s of shifts) candidates.push(`${bare} +towgs84=${s}`);
    candidates.push(bare);
  }
  let best = null;
  for (const d of candidates) {
    try {
      const geographic = /longlat/.test(d);
      const unit = geographic ? 111000 : /us-ft|units=ft/.test(d) ? 0.3048 : 1;
      let off = 0;
      for (const [lon, lat, x, y] of tests) {
        const [px, py] = proj4(WGS, d).forward([lon, lat]);
        off = Math.max(off, Math.hypot(px - x, py - y) * unit);
      }
      if (Number.isFinite(off) && (!best || off < best.off * 0.9 - 1e-4)) best = { d, off };
    } catch {
      /* not computable this way */
    }
  }
  if (!best || best.off > 2000) {
    dropped++;
    continue;
  }
  const [n, w, s, e] = c.bbox;
  c.area ??= '';
  const area = c.area.length > 110 ? c.area.slice(0, 107) + '…' : c.area;
  const entry = [code, c.name, area, w, s, e, n, best.d];
  if (best.off > 1)
    entry.push(`datum shift known to about ${best.off > 10 ? Math.ceil(best.off / 10) * 10 : Math.ceil(best.off)} m`);
  out.push(entry);
}
out.sort((a, b) => a[0] - b[0]);
writeFileSync(
  new URL('../../packages/core/data/epsg.json', import.meta.url),
  '[\n' + out.map((e) => JSON.stringify(e)).join(',\n') + '\n]\n',
);
process.stdout.write(`${out.length} systems, ${out.filter((e) => e[8]).length} with a caution, ${dropped} left out\n`);
