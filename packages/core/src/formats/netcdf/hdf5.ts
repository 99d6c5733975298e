import type { Dataset, File, Group } from 'h5wasm';
import { HelkError } from '../../errors';
import type { StoredType } from '../../data/raster';
import { claim, type ReadOptions } from '../reader';
import { MOST_VARIABLES, trimNulls, type AttributeValue, type NcFile, type Numbers } from './container';

type Hdf5 = typeof import('h5wasm');
type Module = Awaited<Hdf5['ready']>;

let opened = 0;
let loaded: Promise<{ h5: Hdf5; module: Module }> | null = null;

/**
 * The HDF5 library, loaded when the first such file is read: its build for browsers, which knows no disk. All it can reach is a file
 * system in memory that holds the file at hand and, once the devices are taken out, nothing else.
 */
function library(): Promise<{ h5: Hdf5; module: Module }> {
  loaded ??= (async () => {
    const h5 = await import('h5wasm');
    const module = await h5.ready;
    const { FS } = module as unknown as { FS: { readdir(p: string): string[]; unlink(p: string): void } };
    for (const device of FS.readdir('/dev'))
      try {
        FS.unlink(`/dev/${device}`);
      } catch {
        // A folder; nothing can be read from it.
      }
    return { h5, module };
  })();
  return loaded;
}

/** Filters that the library has itself (HDF5, H5Zpublic.h): deflate, shuffle, Fletcher's check sum, szip, n bits, scale and offset. */
const OWN_FILTERS = new Set([1, 2, 3, 4, 5, 6]);

/**
 * A NetCDF-4 file through the HDF5 library. Dimensions come from the scales attached to a variable; where a file carries none,
 * the array of the same length that bears the usual name is taken. Links to other files, values kept or gathered in other files, and
 * filters that the library lacks are refused by name.
 */
export async function openHdf5(bytes: Uint8Array, name: string, options: ReadOptions): Promise<NcFile> {
  // The file lies in the library's memory a second time.
  claim(2 * bytes.length, options, name);
  const { h5, module } = await library();
  const path = `/in-${++opened}.h5`;
  module.FS.writeFile(path, bytes);
  const forget = (): void => {
    try {
      module.FS.unlink(path);
    } catch {
      // Gone already.
    }
  };
  let file: File;
  try {
    // Errors become exceptions; otherwise the library prints its own long account of a damaged file.
    module.activate_throwing_error_handler();
    file = new h5.File(path, 'r');
    if (file.file_id < 0n) throw new Error('not opened');
  } catch {
    forget();
    throw new HelkError(
      'file.damaged',
      `"${name}" begins like NetCDF-4 (HDF5) but cannot be opened; is it whole?`,
      name,
    );
  }
  const close = (): void => {
    try {
      file.close();
    } finally {
      forget();
    }
  };
  try {
    const out: NcFile = { variables: [], passed: [], attributes: attributesOf(file), close };
    walk(file, '', name, out, options);
    return out;
  } catch (e) {
    close();
    if (e instanceof HelkError) throw e;
    throw new HelkError('file.damaged', `"${name}" cannot be read to the end; is it whole?`, name);
  }
}

function walk(group: Group, prefix: string, name: string, out: NcFile, options: ReadOptions, depth = 0): void {
  const members = group.keys().map((k) => ({ key: k, entity: group.get(k) }));
  const kind = (e: unknown): unknown => (e as { type?: unknown } | null)?.type;
  const sets = members.filter((m): m is { key: string; entity: Dataset } => kind(m.entity) === 'Dataset');
  const lengths = new Map(sets.filter((s) => s.entity.shape?.length === 1).map((s) => [s.key, s.entity.shape![0]!]));
  for (const { key, entity } of members)
    if (kind(entity) === 'ExternalLink')
      out.passed.push(`"${name}": ${prefix}${key} is a link into another file, which is not followed.`);
  for (const { key, entity } of sets) {
    const shape = entity.shape ?? [];
    const type = typeOf(entity);
    const refused = refusalOf(entity);
    if (out.variables.length >= MOST_VARIABLES)
      throw new HelkError('file.tooLarge', `"${name}" holds more than ${MOST_VARIABLES} variables.`, name);
    out.variables.push({
      name: prefix + key,
      dimensions: dimensionsOf(entity, key, shape, lengths, prefix),
      shape,
      type,
      attributes: attributesOf(entity),
      ...(refused ? { refused } : {}),
      read: (at = []) => {
        // A shape is only declared; packed, a few bytes may stand for any number of values.
        const values = shape.slice(at.length).reduce((a, b) => a * b, 1);
        claim(values * 16, options, name);
        return numbersOf(entity, at, shape, name);
      },
    });
  }
  // Groups of groups hold grids too; deeper ones are other people's bookkeeping.
  if (depth >= 3) return;
  for (const { key, entity } of members)
    if (kind(entity) === 'Group') walk(entity as Group, `${prefix}${key}/`, name, out, options, depth + 1);
}

/** What makes the values of a dataset such that they are not read. */
function refusalOf(d: Dataset): string | null {
  if ((d.metadata as { virtual_sources?: unknown[] }).virtual_sources?.length)
    return 'is gathered from other files (a virtual dataset), which are not followed.';
  const odd = d.filters.find((f) => !OWN_FILTERS.has(f.id));
  if (odd)
    return `is packed by a filter that is not read (${(odd.name || 'nameless').slice(0, 40)}, number ${odd.id}); save it with deflate.`;
  return null;
}

function typeOf(d: Dataset): StoredType | 'text' | null {
  const { type, size, signed } = d.metadata;
  // HDF5 classes: 0 integer, 1 float, 3 string, 8 enumeration.
  if (type === 3) return 'text';
  if (type === 1) return size === 4 ? 'float32' : 'float64';
  if (type === 0 || type === 8) {
    if (size === 8) return 'float64';
    return `${signed ? '' : 'u'}int${(size * 8) as 8 | 16 | 32}` as StoredType;
  }
  return null;
}

function dimensionsOf(
  d: Dataset,
  key: string,
  shape: number[],
  lengths: Map<string, number>,
  prefix: string,
): string[] {
  if (shape.length === 1 && lengths.has(key) && !attached(d, 0)) return [prefix + key];
  const used = new Set<string>();
  return shape.map((n, i) => {
    const scale = attached(d, i);
    const usual = scale ?? [...lengths].find(([k, l]) => l === n && !used.has(k) && COORDINATE.test(k))?.[0];
    if (usual) used.add(usual);
    return scale ? scale.replace(/^\//, '') : prefix + (usual ?? `dimension ${i + 1}`);
  });
}

const COORDINATE = /^(lat|lon|x|y|time|latitude|longitude|easting|northing|depth|level|z)$/i;

function attached(d: Dataset, i: number): string | null {
  try {
    return d.get_attached_scales(i)[0] ?? null;
  } catch {
    return null;
  }
}

function attributesOf(d: Dataset | Group): Record<string, AttributeValue> {
  const out: Record<string, AttributeValue> = {};
  for (const key of Object.keys(d.attrs)) {
    if (/^(DIMENSION_LIST|REFERENCE_LIST|CLASS|NAME|_Netcdf4|_NC)/.test(key)) continue;
    let v: unknown;
    try {
      v = d.attrs[key]!.value;
    } catch {
      continue;
    }
    if (Array.isArray(v) && v.length === 1) v = v[0];
    if (typeof v === 'string') out[key] = trimNulls(v);
    else if (typeof v === 'number') out[key] = v;
    else if (typeof v === 'bigint') out[key] = Number(v);
    else if (ArrayBuffer.isView(v)) {
      const list = Array.from(v as unknown as ArrayLike<number | bigint>, Number);
      out[key] = list.length === 1 ? list[0]! : list;
    } else if (Array.isArray(v) && v.every((x) => typeof x === 'string')) out[key] = v.join(' ');
  }
  return out;
}

function numbersOf(d: Dataset, at: number[], shape: number[], name: string): Numbers {
  let v: unknown;
  try {
    v = d.slice(shape.map((_, i) => (i < at.length ? [at[i]!, at[i]! + 1] : [])));
  } catch (e) {
    if (/external/i.test(String((e as Error).message)))
      throw new HelkError(
        'file.unsupported',
        `"${name}": ${d.path.replace(/^\//, '')} keeps its values in another file (external storage), which is not read.`,
        name,
      );
    v = null;
  }
  if (v instanceof BigInt64Array || v instanceof BigUint64Array) return Float64Array.from(v, Number);
  if (typeof v === 'number') return Float64Array.of(v);
  if (!ArrayBuffer.isView(v))
    throw new HelkError(
      'file.damaged',
      `"${name}": the values of ${d.path.replace(/^\//, '')} cannot be unpacked; the file is damaged or uses a compression that is not read.`,
      name,
    );
  return v as unknown as Numbers;
}
