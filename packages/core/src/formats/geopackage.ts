import { HelkError } from '../errors';
import { crsOfCode, wgs84, type Crs } from '../data/crs';
import { FeaturesBuilder, type Column, type GeometryType } from '../data/features';
import { growingBytes, growingFloats } from '../numeric/growing';
import { baseName, MOST_LAYERS, type FileFormat, type Layer, type ReadOptions } from './reader';
import { readWkb } from '../data/wkb';
import { openSqlite, quoted, UNIT, type SqliteFile } from './sqlite';
import { crsFromWkt } from './wkt';
import type { Note } from '../data/check';

const PLURAL: Record<GeometryType, string> = { point: 'points', line: 'lines', polygon: 'polygons' };

/** GeoPackage (OGC 12-128r19): feature and attribute tables; grids of pictures in it are passed over and said. */
export const geopackage: FileFormat = {
  id: 'geopackage',
  title: 'GeoPackage',
  extensions: ['gpkg'],
  sniff: (b) => b.length > 100 && new TextDecoder('latin1').decode(b.subarray(0, 15)) === 'SQLite format 3',
  read: async (bytes, name, options) => {
    await Promise.resolve();
    const db = openSqlite(bytes, name);
    try {
      return contents(db, name, options);
    } catch (e) {
      if (e instanceof HelkError) throw e;
      const why = e instanceof Error ? e.message : String(e);
      throw /no such table: gpkg/.test(why)
        ? new HelkError('file.unsupported', `"${name}" is an SQLite file but no GeoPackage.`, name)
        : new HelkError(
            'file.damaged',
            `"${name}" begins like a GeoPackage but cannot be read (${why.slice(0, 120)}); is it whole?`,
            name,
          );
    } finally {
      db.close();
    }
  },
};

function contents(db: SqliteFile, name: string, o: ReadOptions): Layer[] {
  for (const t of ['gpkg_contents', 'gpkg_geometry_columns', 'gpkg_spatial_ref_sys', 'gpkg_data_columns'])
    plainTable(db, t, name);
  const tables = db.all(
    `SELECT table_name AS t, data_type AS k, identifier AS i, srs_id AS s FROM gpkg_contents LIMIT ${MOST_LAYERS + 1}`,
  );
  if (tables.length > MOST_LAYERS)
    throw new HelkError('file.tooLarge', `"${name}" lists more than ${MOST_LAYERS} tables.`, name);
  const layers: Layer[] = [];
  const passed: string[] = [];
  for (const [n, row] of tables.entries()) {
    const table = String(row['t']);
    o.progress?.(n / tables.length, table.slice(0, 40));
    const label = String(row['i'] ?? '').trim() || table || baseName(name);
    if (o.only && !o.only.some((x) => x === label || x.startsWith(`${label} `))) continue;
    plainTable(db, table, name);
    if (row['k'] === 'features') layers.push(...featureTable(db, table, label, name, o));
    else if (row['k'] === 'attributes') layers.push(attributeTable(db, table, label, name, o));
    else passed.push(`${table} (${String(row['k']).slice(0, 30)})`);
  }
  if (!layers.length)
    throw new HelkError(
      'file.content',
      `"${name}" holds no features${passed.length ? `, only ${passed.join(', ')}` : ''}.`,
      name,
    );
  if (passed.length)
    layers[0]!.notes.push({
      level: 'info',
      code: 'geopackage.passedOver',
      message: `Passed over: ${passed.join(', ')}.`,
    });
  return layers;
}

/**
 * A table, or a view that only selects: one that counts on from itself (WITH, which SQLite takes for a recursion with or without
 * that word) may never end, and nothing inside the library can stop it.
 *
 * @throws HelkError `file.unsupported`
 */
function plainTable(db: SqliteFile, table: string, name: string): void {
  const refuse = (why: string): never => {
    throw new HelkError('file.unsupported', `"${name}": "${table.slice(0, 60)}" ${why}, which is not run.`, name);
  };
  const all = db.all("SELECT name AS n, type AS t, sql AS s FROM sqlite_master WHERE type IN ('table', 'view')");
  const found = all.find((o) => String(o['n']).toLowerCase() === table.toLowerCase());
  if (/^\s*create\s+virtual/i.test(String(found?.['s'] ?? ''))) refuse('is a virtual table');
  if (found?.['t'] !== 'view') return;
  const views = all.filter((o) => o['t'] === 'view');
  const wanted = [found];
  // A view may select from others.
  for (const v of wanted) {
    const sql = withoutTexts(String(v['s']));
    if (/\bwith\b/i.test(sql)) refuse('is a view that makes its rows by a recursion');
    for (const other of views)
      if (!wanted.includes(other) && sql.toLowerCase().includes(String(other['n']).toLowerCase())) wanted.push(other);
  }
}

/** SQL without its comments and texts; names in quotation marks stay. O(length). */
function withoutTexts(sql: string): string {
  return sql.replace(/--[^\n]*|\/\*(?:[^*]|\*(?!\/))*(?:\*\/)?|'[^']*'?/g, ' ');
}

function systemOf(db: SqliteFile, id: number, table: string): Crs | null {
  if (id === 4326) return wgs84();
  if (id <= 0) return null;
  const r = db.all(
    'SELECT organization AS o, organization_coordsys_id AS c, definition AS d FROM gpkg_spatial_ref_sys WHERE srs_id = ?',
    id,
  )[0];
  if (r && /^epsg$/i.test(String(r['o']))) {
    try {
      return crsOfCode(Number(r['c']), table);
    } catch {
      // The definition may do.
    }
  }
  const text = String(r?.['d'] ?? '');
  return text && text !== 'undefined' ? crsFromWkt(text, table) : null;
}

const isNumeric = (type: string): boolean =>
  /^(TINY|SMALL|MEDIUM|BIG)?INT|^INTEGER|^FLOAT|^DOUBLE|^REAL|^NUMERIC|^DECIMAL/i.test(type);

/** Collects a column's values row by row: numbers as long as all are, texts otherwise. */
function collector(
  name: string,
  type: string,
  unit: string | null = null,
): { add: (v: unknown) => void; column: () => Column } {
  const boolean = /^BOOL/i.test(type);
  const missing = growingBytes();
  const numbers = growingFloats();
  let texts: string[] | null = boolean || isNumeric(type) ? null : [];
  let some = false;
  return {
    add: (v) => {
      const gone = v === null || v === undefined;
      some ||= gone;
      missing.push(gone ? 1 : 0);
      const n = typeof v === 'bigint' ? Number(v) : v;
      if (!texts && !gone && typeof n !== 'number')
        texts = Array.from({ length: numbers.length }, (_, i) => (missing.at(i) ? '' : String(numbers.at(i))));
      if (!texts) numbers.push(gone ? (boolean ? 0 : NaN) : (n as number));
      else texts.push(gone ? '' : v instanceof Uint8Array ? `(${v.length} bytes)` : String(v as string | number));
    },
    column: () => {
      const gone = some ? { missing: missing.done() } : {};
      return texts
        ? { name, type: 'text', unit: null, values: texts, ...gone }
        : { name, type: boolean ? 'boolean' : 'number', unit, values: numbers.done(), ...gone };
    },
  };
}

function columnsOf(db: SqliteFile, table: string): { name: string; type: string; key: boolean }[] {
  return db
    .all(`PRAGMA table_info(${quoted(table)})`)
    .map((r) => ({ name: String(r['name']), type: String(r['type']), key: Number(r['pk']) > 0 }));
}

/** Units of columns, where the schema extension describes them as we write them. */
function unitsOf(db: SqliteFile, table: string): Map<string, string> {
  const found = db.all("SELECT name FROM sqlite_master WHERE type = 'table' AND name = 'gpkg_data_columns'");
  if (!found.length) return new Map();
  const rows = db.all('SELECT column_name AS c, description AS d FROM gpkg_data_columns WHERE table_name = ?', table);
  return new Map(
    rows
      .filter((r) => String(r['d'] ?? '').startsWith(UNIT))
      .map((r) => [String(r['c']), String(r['d']).slice(UNIT.length, UNIT.length + 40)]),
  );
}

/** Tells of progress, which hears a cancel, and refuses rows without end. */
function row(i: number, columns: number, label: string, name: string, o: ReadOptions): void {
  if ((i & 8191) === 0) o.progress?.(0.5, `${label.slice(0, 30)}: ${i} rows`);
  if (i * columns > o.maxCells)
    throw new HelkError('file.tooLarge', `"${name}": "${label.slice(0, 60)}" holds more rows than are taken in.`, name);
}

function attributeTable(db: SqliteFile, table: string, label: string, name: string, o: ReadOptions): Layer {
  const columns = columnsOf(db, table).filter((c) => !c.key);
  const units = unitsOf(db, table);
  const all = columns.map((c) => collector(c.name, c.type, units.get(c.name)));
  let i = 0;
  for (const values of db.each(`SELECT ${columns.map((c) => quoted(c.name)).join(', ')} FROM ${quoted(table)}`)) {
    row(++i, columns.length, label, name, o);
    for (let k = 0; k < all.length; k++) all[k]!.add(values[k]);
  }
  return { name: label, data: { kind: 'table', columns: all.map((c) => c.column()) }, notes: [] };
}

function featureTable(db: SqliteFile, table: string, label: string, name: string, o: ReadOptions): Layer[] {
  const g = db.all('SELECT column_name AS c, srs_id AS s FROM gpkg_geometry_columns WHERE table_name = ?', table)[0];
  if (!g) throw new HelkError('file.damaged', `"${name}": table "${table}" has no geometry column.`, name);
  const geometry = String(g['c']);
  const notes: Note[] = [];
  let crs: Crs | null;
  try {
    crs = systemOf(db, Number(g['s']), table) ?? o.crs ?? null;
  } catch (e) {
    if (!(e instanceof HelkError)) throw e;
    crs = o.crs ?? null;
    notes.push({ level: 'look', code: 'crs.unknown', message: e.message });
  }
  const columns = columnsOf(db, table).filter((c) => c.name !== geometry && !c.key);
  const select = `SELECT ${[geometry, ...columns.map((c) => c.name)].map(quoted).join(', ')} FROM ${quoted(table)}`;
  // Which kinds of geometry there are decides how many datasets it becomes.
  const kinds = new Set<GeometryType>();
  let measures = false;
  let rowNumber = 0;
  for (const [blob] of db.each(`SELECT ${quoted(geometry)} FROM ${quoted(table)}`)) {
    row(++rowNumber, columns.length + 1, label, name, o);
    if (!(blob instanceof Uint8Array)) continue;
    const found = readWkb(viewOf(blob), start(blob, rowNumber, name), null, null);
    if (found.odd !== null)
      throw new HelkError(
        'file.unsupported',
        `"${name}": feature ${rowNumber} of "${table}" is a geometry of type ${found.odd}; points, lines and polygons are read.`,
        name,
      );
    for (const k of found.kinds) kinds.add(k);
    measures ||= found.hasM;
  }
  if (measures)
    notes.push({ level: 'info', code: 'features.measures', message: 'Measures (M) of the corners were dropped.' });
  if (kinds.size > 1)
    notes.push({
      level: 'info',
      code: 'features.mixed',
      message: `The table mixes ${[...kinds].map((k) => PLURAL[k]).join(' and ')}; each became a dataset of its own.`,
    });
  const units = unitsOf(db, table);
  const wanted = kinds.size ? [...kinds] : (['point'] as GeometryType[]);
  return wanted.map((kind) => {
    const b = new FeaturesBuilder();
    const all = columns.map((c) => collector(c.name, c.type, units.get(c.name)));
    let i = 0;
    let empty = 0;
    let firstEmpty = 0;
    for (const values of db.each(select)) {
      row(++i, columns.length + 1, label, name, o);
      const blob = values[0];
      const at = b.partCount;
      if (blob instanceof Uint8Array) readWkb(viewOf(blob), start(blob, i, name), kind, b);
      if (b.partCount === at) {
        // Of several kinds each has its own rows; rows without any geometry stay with the only kind there is.
        if (kinds.size > 1) continue;
        if (!empty++) firstEmpty = i;
      }
      b.endFeature();
      for (let k = 0; k < all.length; k++) all[k]!.add(values[k + 1]);
    }
    const own = [...notes];
    if (empty)
      own.push({
        level: 'look',
        code: 'features.noGeometry',
        message: `${empty} of ${i} features have no geometry (the first is number ${firstEmpty}); their rows are kept.`,
      });
    return {
      name: kinds.size > 1 ? `${label} ${PLURAL[kind]}` : label,
      data: b.build(
        kind,
        crs,
        all.map((c) => c.column()),
      ),
      notes: own,
    };
  });
}

/** Where the geometry begins behind the header of a GeoPackage blob (12-128r19, 2.1.3). */
function start(blob: Uint8Array, i: number, name: string): number {
  if (blob.length < 8 || blob[0] !== 0x47 || blob[1] !== 0x50)
    throw new HelkError('file.damaged', `"${name}": the geometry of feature ${i} is not one of a GeoPackage.`, name);
  return 8 + ([0, 32, 48, 48, 64][(blob[3]! >> 1) & 7] ?? 0);
}
const viewOf = (b: Uint8Array): DataView => new DataView(b.buffer, b.byteOffset, b.byteLength);
