import type { Dataset, File, Group } from 'h5wasm';
import { HelkError } from '../../errors';
import type { StoredType } from '../../data/raster';
import type { AttributeValue, NcFile, NcVariable, Numbers } from './container';

type Hdf5 = typeof import('h5wasm');

let loader: (() => Promise<Hdf5>) | null = null;
let opened = 0;

/** Brings the HDF5 library; loaded when the first such file is read. Node surfaces call this with `h5wasm/node`. */
export function useHdf5(load: () => Promise<Hdf5>): void {
  loader = load;
}

/**
 * A NetCDF-4 file through the HDF5 library. Dimensions come from the scales attached to a variable; where a file carries none,
 * the array of the same length that bears the usual name is taken.
 */
export async function openHdf5(bytes: Uint8Array, name: string): Promise<NcFile> {
  if (!loader) throw new HelkError('file.unsupported', `"${name}" is NetCDF-4 (HDF5), which is not read here.`, name);
  const h5 = await loader();
  const module = await h5.ready;
  const path = `in-${++opened}.h5`;
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
    file.close();
    forget();
  };
  try {
    const variables: NcVariable[] = [];
    walk(file, '', name, variables);
    return { variables, attributes: attributesOf(file), close };
  } catch (e) {
    close();
    if (e instanceof HelkError) throw e;
    throw new HelkError('file.damaged', `"${name}" cannot be read to the end; is it whole?`, name);
  }
}

function walk(group: Group, prefix: string, name: string, out: NcVariable[], depth = 0): void {
  const members = group.keys().map((k) => ({ key: k, entity: group.get(k) }));
  const kind = (e: unknown): unknown => (e as { type?: unknown } | null)?.type;
  const sets = members.filter((m): m is { key: string; entity: Dataset } => kind(m.entity) === 'Dataset');
  const lengths = new Map(sets.filter((s) => s.entity.shape?.length === 1).map((s) => [s.key, s.entity.shape![0]!]));
  for (const { key, entity } of sets) {
    const shape = entity.shape ?? [];
    const type = typeOf(entity);
    out.push({
      name: prefix + key,
      dimensions: dimensionsOf(entity, key, shape, lengths, prefix),
      shape,
      type,
      attributes: attributesOf(entity),
      read: (at = []) => numbersOf(entity, at, shape, name),
    });
  }
  // Groups of groups hold grids too; deeper ones are other people's bookkeeping.
  if (depth >= 3) return;
  for (const { key, entity } of members)
    if (kind(entity) === 'Group') walk(entity as Group, `${prefix}${key}/`, name, out, depth + 1);
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
    if (typeof v === 'string') out[key] = v.replace(/\0+$/, '');
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
  } catch {
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
