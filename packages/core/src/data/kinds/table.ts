import * as z from 'zod';
import { HelkError } from '../../errors';
import { packBinary, unpackBinary } from '../../formats/binary';
import { columnLosses } from '../../formats/column-losses';
import { codeChecks } from '../column-checks';
import { columnInfo } from '../column-facts';
import { columnsFlaw } from '../flaws';
import { inMemory, type Handle } from '../handle';
import { infiniteInColumns } from '../infinite';
import { columns, count } from '../info-shapes';
import { withUnit } from '../quantity';
import { tableRows, type Table, type TableInfo } from '../table';
import { getWhole, putWhole, StoredWhole } from '../whole-store';
import { onlyPlace, sameColumns, type KindRecord } from './kind';

/** Columns without geometry. */
export const table: KindRecord<'table', Table, TableInfo, Handle<Table, TableInfo, 'table'>> = {
  kind: 'table',
  words: { one: 'table', many: 'tables' },
  placed: false,
  shape: z.object({ kind: z.literal('table'), rows: count, columns }),

  info: (d) => ({ kind: 'table', rows: tableRows(d), columns: d.columns.map(columnInfo) }),
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: () => null,
  extent: () => null,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `table · ${info.rows} ${info.rows === 1 ? 'row' : 'rows'}`,
  make: (info) => ['table', info.columns.map((c) => [c.name, c.type])],
  arrival: (info) => [`columns: ${info.columns.map((c) => c.name).join(', ') || 'none'}`],
  details: (info) => [
    { name: 'Columns', value: info.columns.map((c) => withUnit(c.name, c.unit)).join('; ') || 'none' },
  ],
  // The mend makes a copy of features; a table has none.
  checks: (info) => codeChecks(info.columns).map(({ mend: _, ...c }) => c),
  give: (info, by) => {
    onlyPlace(by);
    if (by.crs !== undefined) throw new HelkError('request.invalid', 'A table has no coordinate system.', 'crs');
    return info;
  },
  rows: (info) => ({ count: info.rows, columns: info.columns, noun: 'rows' }),
  misfit: () => null,
  inspect: (info) => ({ rows: info.rows, columns: info.columns }),

  heldBytes: (t) => t.rows * 10 * t.columns.length,
  flaw: (d) => columnsFlaw(d.columns, tableRows(d)),
  tame: (d) => infiniteInColumns(d.columns),

  review: async (handle) => {
    const d = await handle.load();
    return {
      extent: null,
      crs: null,
      columns: d.columns.length,
      rows: tableRows(d),
      min: null,
      max: null,
      missing: 0,
      unit: null,
      scalable: false,
    };
  },

  wrap: (d) => inMemory('table', d, table.info),
  open: (info, store) => new StoredWhole(info, store, read),
  pack: async (handle, store, progress) => {
    await putWhole(store, packBinary(await handle.load()), progress);
    return handle.info;
  },
  verify: async (info, store) => {
    const d = read(await getWhole(store));
    sameColumns(info, d.columns, tableRows(d), info.rows);
  },

  formats: ['csv', 'geopackage', 'tsv', 'xlsx'],
  losses: (info, format) => columnLosses(info.columns, info.rows, format),
};

const read = (bytes: Uint8Array): Table => unpackBinary(bytes, 'table') as Table;
