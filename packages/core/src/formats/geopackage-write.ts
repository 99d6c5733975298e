import { wgs84, type Crs } from '../data/crs';
import { featureBoxes, featureCount, featuresExtent, valueOf, type Column, type Features } from '../data/features';
import { FreeNames } from '../data/names';
import { tableRows, type Table } from '../data/table';
import { wkbSize, writeWkb } from '../data/wkb';
import { openSqlite, quoted, UNIT, type SqliteFile } from './sqlite';
import { wktOf } from './wkt';

/** One dataset of a GeoPackage to be written. */
export interface PackageTable {
  name: string;
  data: Features | Table;
}

/** Several feature sets and tables as one GeoPackage 1.3, each with a spatial index (R*Tree extension), without any styles. */
export function writeGeoPackage(tables: readonly PackageTable[]): Uint8Array {
  const db = openSqlite(null, 'the GeoPackage');
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

/** Describes the units of columns by the schema extension (12-128r19, F.9). */
function writeUnits(db: SqliteFile, table: string, columns: readonly Column[], names: readonly string[]): void {
  const rows = columns.flatMap((c, k) =>
    c.unit ? [[table, names[k], null, null, `${UNIT}${c.unit}`, null, null]] : [],
  );
  if (rows.length) db.run('INSERT INTO gpkg_data_columns VALUES (?, ?, ?, ?, ?, ?, ?)', rows);
}
