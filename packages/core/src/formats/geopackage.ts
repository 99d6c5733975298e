import { HelkError } from '../errors';
import { crsOfCode, wgs84, type Crs } from '../data/crs';
import {
  featureBoxes,
  featureCount,
  FeaturesBuilder,
  featuresExtent,
  valueOf,
  type Column,
  type Features,
  type GeometryType,
} from '../data/features';
import { FreeNames } from '../data/names';
import { tableRows, type Table } from '../data/table';
import type { Note } from '../method/job';
import { baseName, type FileFormat, type Layer, type ReadOptions } from './reader';
import { readWkb, wkbSize, writeWkb } from '../data/wkb';
import { crsFromWkt, wktOf } from './wkt';

/** What is needed of an SQLite library; Node surfaces hand one in. */
export interface SqliteFile {
  all(sql: string, ...values: unknown[]): Record<string, unknown>[];
  each(sql: string): IterableIterator<unknown[]>;
  run(sql: string, rows?: Iterable<unknown[]>): void;
  bytes(): Uint8Array;
  close(): void;
}

let opener: ((bytes: Uint8Array | null) => SqliteFile) | null = null;

/** Brings the SQLite library. */
export function useSqlite(open: (bytes: Uint8Array | null) => SqliteFile): void {
  opener = open;
}

function open(bytes: Uint8Array | null, name: string): SqliteFile {
  if (!opener) throw new HelkError('file.unsupported', `"${name}" is a GeoPackage, which is not read here.`, name);
  return opener(bytes);
}

const quoted = (s: string): string => `"${s.replace(/"/g, '""')}"`;
const PLURAL: Record<GeometryType, string> = { point: 'points', line: 'lines', polygon: 'polygons' };

/** GeoPackage (OGC 12-128r19): feature and attribute tables; grids of pictures in it are passed over and said. */
export const geopackage: FileFormat = {
  id: 'geopackage',
  title: 'GeoPackage',
  extensions: ['gpkg'],
  sniff: (b) => b.length > 100 && new TextDecoder('latin1').decode(b.subarray(0, 15)) === 'SQLite format 3',
  read: async (bytes, name, options) => {
    await Promise.resolve();
    const db = open(bytes, name);
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
  const tables = db.all(
    'SELECT table_name AS t, data_type AS k, identifier AS i, srs_id AS s FROM gpkg_contents ORDER BY rowid',
  );
  const layers: Layer[] = [];
  const passed: string[] = [];
  for (const [n, row] of tables.entries()) {
    const table = String(row['t']);
    o.progress?.(n / tables.length, table.slice(0, 40));
    const label = String(row['i'] ?? '').trim() || table || baseName(name);
    if (o.only && !o.only.some((x) => x === label || x.startsWith(`${label} `))) continue;
    if (row['k'] === 'features') layers.push(...featureTable(db, table, label, name, o));
    else if (row['k'] === 'attributes') layers.push(attributeTable(db, table, label));
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

/** Readers that collect a column's values row by row. */
function collector(
  name: string,
  type: string,
  unit: string | null = null,
): { add: (v: unknown) => void; column: () => Column } {
  const missing: number[] = [];
  const numbers: number[] = [];
  const texts: string[] = [];
  const boolean = /^BOOL/i.test(type);
  const numeric = boolean || isNumeric(type);
  let odd = false;
  return {
    add: (v) => {
      missing.push(v === null || v === undefined ? 1 : 0);
      if (numeric) {
        const n = typeof v === 'bigint' ? Number(v) : v;
        if (typeof n !== 'number' && n !== null) odd = true;
        numbers.push(typeof n === 'number' ? n : boolean ? 0 : NaN);
      }
      texts.push(
        v === null || v === undefined
          ? ''
          : v instanceof Uint8Array
            ? `(${v.length} bytes)`
            : String(v as string | number),
      );
    },
    column: () => {
      const gone = missing.includes(1) ? { missing: Uint8Array.from(missing) } : {};
      return numeric && !odd
        ? { name, type: boolean ? 'boolean' : 'number', unit, values: Float64Array.from(numbers), ...gone }
        : { name, type: 'text', unit: null, values: texts, ...gone };
    },
  };
}

function columnsOf(db: SqliteFile, table: string): { name: string; type: string; key: boolean }[] {
  return db
    .all(`PRAGMA table_info(${quoted(table)})`)
    .map((r) => ({ name: String(r['name']), type: String(r['type']), key: Number(r['pk']) > 0 }));
}

const UNIT = 'unit: ';

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

/** Describes the units of columns by the schema extension (12-128r19, F.9). */
function writeUnits(db: SqliteFile, table: string, columns: readonly Column[], names: readonly string[]): void {
  const rows = columns.flatMap((c, k) =>
    c.unit ? [[table, names[k], null, null, `${UNIT}${c.unit}`, null, null]] : [],
  );
  if (rows.length) db.run('INSERT INTO gpkg_data_columns VALUES (?, ?, ?, ?, ?, ?, ?)', rows);
}

function attributeTable(db: SqliteFile, table: string, label: string): Layer {
  const columns = columnsOf(db, table).filter((c) => !c.key);
  const units = unitsOf(db, table);
  const all = columns.map((c) => collector(c.name, c.type, units.get(c.name)));
  for (const row of db.each(`SELECT ${columns.map((c) => quoted(c.name)).join(', ')} FROM ${quoted(table)}`))
    row.forEach((v, k) => all[k]!.add(v));
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
    rowNumber++;
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
    if (rowNumber > o.maxCells)
      throw new HelkError('file.tooLarge', `"${name}" holds more features than are taken in.`, name);
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
    for (const row of db.each(select)) {
      i++;
      const blob = row[0];
      const at = b.partCount;
      if (blob instanceof Uint8Array) readWkb(viewOf(blob), start(blob, i, name), kind, b);
      if (b.partCount === at) {
        // Of several kinds each has its own rows; rows without any geometry stay with the only kind there is.
        if (kinds.size > 1) continue;
        if (!empty++) firstEmpty = i;
      }
      b.endFeature();
      for (let k = 0; k < all.length; k++) all[k]!.add(row[k + 1]);
      if ((i & 8191) === 0) o.progress?.(0.5, `${label.slice(0, 30)}: ${i} features`);
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

/** One dataset of a GeoPackage to be written. */
export interface PackageTable {
  name: string;
  data: Features | Table;
}

/** Several feature sets and tables as one GeoPackage 1.3, each with a spatial index (R*Tree extension), without any styles. */
export function writeGeoPackage(tables: readonly PackageTable[]): Uint8Array {
  const db = open(null, 'the GeoPackage');
  try {
    db.run('PRAGMA application_id = 1196444487');
    db.run('PRAGMA user_version = 10300');
    for (const sql of SCHEMA) db.run(sql);
    db.run('INSERT INTO gpkg_spatial_ref_sys VALUES (?, ?, ?, ?, ?, ?)', [
      ['Undefined Cartesian SRS', -1, 'NONE', -1, 'undefined', 'undefined Cartesian coordinate reference system'],
      ['Undefined geographic SRS', 0, 'NONE', 0, 'undefined', 'undefined geographic coordinate reference system'],
      [
        'WGS 84',
        4326,
        'EPSG',
        4326,
        wktOf(wgs84())!,
        'longitude/latitude coordinates in decimal degrees on the WGS 84 spheroid',
      ],
    ]);
    if (tables.some((t) => t.data.columns.some((c) => c.unit)))
      db.run('INSERT INTO gpkg_extensions VALUES (?, ?, ?, ?, ?)', [
        ['gpkg_data_columns', null, 'gpkg_schema', 'http://www.geopackage.org/spec121/#extension_schema', 'read-write'],
      ]);
    const used = new FreeNames([], '_', true);
    const systems = new Map<string, number>([[wgs84().proj4, 4326]]);
    for (const t of tables) {
      let table = t.name.replace(/[^\p{L}\p{N}]+/gu, '_').replace(/^_+|_+$/g, '') || 'features';
      if (/^(gpkg|sqlite|rtree)/i.test(table)) table = `t_${table}`;
      writeTable(db, used.take(table), t, systems);
    }
    return db.bytes();
  } finally {
    db.close();
  }
}

function writeTable(db: SqliteFile, table: string, t: PackageTable, systems: Map<string, number>): void {
  const { data } = t;
  const rows = data.kind === 'features' ? featureCount(data) : tableRows(data);
  const taken = new FreeNames(['fid', 'geom'], '_', true);
  const names = data.columns.map((c) => taken.take(c.name || 'column'));
  const types = data.columns.map((c) => (c.type === 'text' ? 'TEXT' : c.type === 'boolean' ? 'BOOLEAN' : 'DOUBLE'));
  const own = data.columns.map((_, k) => `, ${quoted(names[k]!)} ${types[k]!}`).join('');
  if (data.kind === 'table') {
    db.run(`CREATE TABLE ${quoted(table)} (fid INTEGER PRIMARY KEY AUTOINCREMENT${own})`);
    insert(db, table, names, function* () {
      for (let i = 0; i < rows; i++) yield data.columns.map((c) => stored(c, i));
    });
    db.run('INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES (?, ?, ?, ?)', [
      [table, 'attributes', t.name, 0],
    ]);
    writeUnits(db, table, data.columns, names);
    return;
  }
  const srs = systemFor(db, data.crs, systems);
  const kind = { point: 'POINT', line: 'LINESTRING', polygon: 'POLYGON' }[data.geometry];
  let several = false;
  for (let i = 0; i < rows && !several; i++) several = data.featureOffsets[i + 1]! - data.featureOffsets[i]! > 1;
  const type = several ? (rows && allSeveral(data) ? `MULTI${kind}` : 'GEOMETRY') : kind;
  db.run(`CREATE TABLE ${quoted(table)} (fid INTEGER PRIMARY KEY AUTOINCREMENT, geom ${type}${own})`);
  const e = featuresExtent(data) ?? [null, null, null, null];
  db.run(
    'INSERT INTO gpkg_contents (table_name, data_type, identifier, min_x, min_y, max_x, max_y, srs_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
    [[table, 'features', t.name, ...e, srs]],
  );
  db.run('INSERT INTO gpkg_geometry_columns VALUES (?, ?, ?, ?, ?, ?)', [
    [table, 'geom', type, srs, data.z ? 1 : 0, 0],
  ]);
  writeUnits(db, table, data.columns, names);
  const boxes = featureBoxes(data);
  insert(db, table, ['geom', ...names], function* () {
    for (let i = 0; i < rows; i++) yield [blobOf(data, i, srs, boxes), ...data.columns.map((c) => stored(c, i))];
  });
  const index = `rtree_${table}_geom`;
  db.run(`CREATE VIRTUAL TABLE ${quoted(index)} USING rtree(id, minx, maxx, miny, maxy)`);
  db.run(
    `INSERT INTO ${quoted(index)} VALUES (?, ?, ?, ?, ?)`,
    (function* () {
      for (let i = 0; i < rows; i++)
        if (boxes[4 * i]! === boxes[4 * i]!)
          yield [i + 1, boxes[4 * i], boxes[4 * i + 2], boxes[4 * i + 1], boxes[4 * i + 3]];
    })(),
  );
  db.run('INSERT INTO gpkg_extensions VALUES (?, ?, ?, ?, ?)', [
    [table, 'geom', 'gpkg_rtree_index', 'http://www.geopackage.org/spec120/#extension_rtree', 'write-only'],
  ]);
}

const allSeveral = (f: Features): boolean =>
  f.featureOffsets.every((o, i) => i === 0 || o - f.featureOffsets[i - 1]! !== 1);

function insert(db: SqliteFile, table: string, names: string[], rows: () => Generator<unknown[]>): void {
  if (names.length === 0) {
    for (const _ of rows()) db.run(`INSERT INTO ${quoted(table)} DEFAULT VALUES`);
    return;
  }
  db.run(
    `INSERT INTO ${quoted(table)} (${names.map(quoted).join(', ')}) VALUES (${names.map(() => '?').join(', ')})`,
    rows(),
  );
}

function stored(c: Column, i: number): number | string | null {
  const v = valueOf(c, i);
  return typeof v === 'boolean' ? Number(v) : typeof v === 'number' && v !== v ? null : v;
}

function blobOf(f: Features, i: number, srs: number, boxes: Float64Array): Uint8Array | null {
  if (f.featureOffsets[i] === f.featureOffsets[i + 1]) return null;
  const z = f.z !== undefined;
  const point = f.geometry === 'point';
  const head = point ? 8 : 40;
  const out = new Uint8Array(head + wkbSize(f, i, z));
  const view = new DataView(out.buffer);
  out.set([0x47, 0x50, 0, point ? 1 : 3]);
  view.setInt32(4, srs, true);
  if (!point)
    [boxes[4 * i]!, boxes[4 * i + 2]!, boxes[4 * i + 1]!, boxes[4 * i + 3]!].forEach((v, k) =>
      view.setFloat64(8 + 8 * k, v, true),
    );
  const n = writeWkb(f, i, view, head, z);
  return out.subarray(0, head + n);
}

function systemFor(db: SqliteFile, crs: Crs | null, systems: Map<string, number>): number {
  if (!crs) return -1;
  const known = systems.get(crs.proj4);
  if (known !== undefined) return known;
  const code = crs.code ? Number(crs.code.slice(5)) : 100_000 + systems.size;
  db.run('INSERT INTO gpkg_spatial_ref_sys VALUES (?, ?, ?, ?, ?, ?)', [
    [crs.name, code, crs.code ? 'EPSG' : 'NONE', code, wktOf(crs) ?? 'undefined', null],
  ]);
  systems.set(crs.proj4, code);
  return code;
}

const SCHEMA = [
  `CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY, organization TEXT NOT NULL, organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT)`,
  `CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE, description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')), min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER, CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id))`,
  `CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL, srs_id INTEGER NOT NULL, z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name), CONSTRAINT uk_gc_table_name UNIQUE (table_name), CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name), CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id))`,
  `CREATE TABLE gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL, scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name))`,
  `CREATE TABLE gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, name TEXT, title TEXT, description TEXT, mime_type TEXT, constraint_name TEXT, CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name), CONSTRAINT gdc_tn UNIQUE (table_name, name))`,
];
