import { openSync, readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import { HelkError, kindOf, parseCrs, type AnyHandle, type Crs, type Method } from '@helk/core';
import { openFile, type ByteSource, type OpenLayer } from '@helk/core/formats';
import { fileSource } from '@helk/node';
import type { Arguments } from './arguments';

/** Files that are being read, until the command ends. */
const files: number[] = [];

export async function load(path: string, crs: Crs | null, steps?: Record<string, number>): Promise<OpenLayer[]> {
  let source: ByteSource;
  try {
    if (statSync(path).isDirectory()) throw new HelkError('file.missing', `"${path}" is a folder; name a file.`, path);
    const file = openSync(path, 'r');
    files.push(file);
    source = fileSource(file);
  } catch (e) {
    if (e instanceof HelkError) throw e;
    throw new HelkError(
      'file.missing',
      `"${path}" cannot be read (${(e as NodeJS.ErrnoException).code ?? 'unknown reason'}).`,
      path,
    );
  }
  const sibling = (ext: string): Uint8Array | undefined => {
    for (const e of [ext, ext.toUpperCase()]) {
      const beside = path.replace(/\.[^./\\]+$/, `.${e}`);
      if (beside !== path && statSync(beside, { throwIfNoEntry: false })?.isFile()) return readFileSync(beside);
    }
    return undefined;
  };
  return (await openFile(basename(path), source, { crs, sibling, ...(steps ? { steps } : {}) })).layers;
}

/** Splits `ROLE=FILE#NAME`; a `#` that is part of an existing file's name stays with it. */
export function inputSpec(text: string): { role: string; path: string; layer: string | null } {
  const eq = text.indexOf('=');
  if (eq < 1) throw new HelkError('request.invalid', `"${text}" is not ROLE=FILE.`);
  const role = text.slice(0, eq);
  const path = text.slice(eq + 1);
  const hash = path.lastIndexOf('#');
  if (hash < 0 || statSync(path, { throwIfNoEntry: false })) return { role, path, layer: null };
  return { role, path: path.slice(0, hash), layer: path.slice(hash + 1) };
}

/** `#NAME` names a layer or band, `#NAME:3` the third step (time, level) of a layer that has several. */
export async function choose(path: string, name: string | null, crs: Crs | null): Promise<OpenLayer> {
  const stepped = name === null ? null : /^(.*):(\d+)$/.exec(name);
  const layers = await load(path, crs);
  if (!stepped || layers.some((l) => l.name === name)) return pick(layers, name, path);
  const layer = pick(layers, stepped[1]!, path);
  const step = Number(stepped[2]) - 1;
  if (!layer.steps || step < 0 || step >= layer.steps.length)
    throw new HelkError(
      'method.input',
      `"${layer.name}" in "${path}" has ${layer.steps ? `${layer.steps.length} steps` : 'no steps'}, none numbered ${stepped[2]}.`,
      path,
    );
  return pick(await load(path, crs, { [layer.name]: step }), layer.name, path);
}

/** The layer, or the one band of it, of that name. */
function pick(layers: OpenLayer[], name: string | null, path: string): OpenLayer {
  if (name === null) {
    if (layers.length > 1)
      throw new HelkError(
        'method.input',
        `"${path}" holds several datasets; name one: ${layers.map((l) => `#${l.name}`).join(', ')}.`,
        path,
      );
    return layers[0]!;
  }
  const layer = layers.find((l) => l.name === name);
  if (layer) return layer;
  for (const l of layers) {
    const kind = kindOf(l.handle);
    const bands = kind.bands?.(l.handle.head) ?? [];
    const band = bands.includes(name) ? bands.indexOf(name) : bands.findIndex((_, i) => String(i + 1) === name);
    if (band >= 0) return { ...l, name, handle: kind.pick!(l.handle, band) };
  }
  throw new HelkError('method.input', `"${path}" has no layer or band "${name}".`, path);
}

/** What goes into a run, by role, with how each is named and written. */
export interface Given {
  handles: Record<string, AnyHandle[]>;
  names: Record<string, string[]>;
  inputs: Record<string, string[]>;
  read: OpenLayer[];
}

/** Opens what `--in` names. @throws HelkError `method.input` for a role that the method has not */
export async function givenIn(a: Pick<Arguments, 'in' | 'crs'>, m: Method): Promise<Given> {
  const crs = a.crs ? parseCrs(a.crs) : null;
  const given: Given = { handles: {}, names: {}, inputs: {}, read: [] };
  for (const text of a.in) {
    const { role, path, layer } = inputSpec(text);
    if (!Object.hasOwn(m.inputs, role))
      throw new HelkError(
        'method.input',
        `${m.chain ? `“${m.title}”` : m.id} has no input "${role}"; it takes ${Object.keys(m.inputs).join(', ')}.`,
        role,
      );
    add(given, role, layer ? `${path}#${layer}` : path, await choose(path, layer, crs));
  }
  return given;
}

/** Puts one more thing into a role. */
export function add(given: Given, role: string, written: string, l: OpenLayer): void {
  (given.handles[role] ??= []).push(l.handle);
  (given.names[role] ??= []).push(l.name);
  (given.inputs[role] ??= []).push(written);
  given.read.push(l);
}

/** Settings given as `--set NAME=VALUE`. */
export function settingsIn(a: Pick<Arguments, 'set'>): Record<string, string> {
  const given: Record<string, string> = {};
  for (const s of a.set) {
    const eq = s.indexOf('=');
    if (eq < 1) throw new HelkError('request.invalid', `"${s}" is not PARAM=VALUE.`);
    given[s.slice(0, eq)] = s.slice(eq + 1);
  }
  return given;
}
