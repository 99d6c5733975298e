import { HelkError } from '../errors';
import { own } from '../data/own';
import type { DatasetInfo } from '../data/kinds';
import { inBase, parseQuantity, unitFactor } from '../data/quantity';
import type { Method } from '../method/define';
import { paramSpecs, plainParam, type ParamSpec } from '../method/params';

/** How wrong an input, or how open a setting, may be. */
export type Stated =
  /** Of a grid: standard deviation in the unit of its values, and the length over which errors are alike, m. */
  | { kind: 'values'; name: string; sd: number; length: number }
  /** Of points: standard deviation of their position in each direction, m. */
  | { kind: 'position'; name: string; sd: number }
  /** A setting anywhere between two values, both in its own base unit. */
  | { kind: 'setting'; name: string; from: number; to: number; spec: ParamSpec };

const fail = (message: string): never => {
  throw new HelkError('method.parameter', `errors: ${message}`, 'errors');
};

/**
 * Errors as they are written, apart by `;` or line ends: `tiles: 2 m over 300 m; gauge: 15 m; drains.snap: 100 m to 300 m`.
 *
 * @param m the recipe as a method
 * @param infos descriptions of its inputs, for the unit of what has values
 * @throws HelkError `method.parameter` for what is neither an input nor a setting, or cannot be read
 */
export function readErrors(text: string, m: Method, infos: Readonly<Record<string, readonly DatasetInfo[]>>): Stated[] {
  const specs = paramSpecs(m.params);
  const out: Stated[] = [];
  for (const part of text.split(/[;\n]/)) {
    if (!part.trim()) continue;
    const at = part.indexOf(':');
    if (at < 0) fail(`“${part.trim()}” is not NAME: VALUE.`);
    const name = part.slice(0, at).trim();
    const value = part.slice(at + 1).trim();
    if (out.some((s) => s.name === name)) fail(`“${name}” is told twice.`);
    const input = own(m.inputs, name);
    if (input) {
      if (input.kind === 'raster') out.push(valuesOf(name, value, infos[name]?.[0]));
      else if (input.kind === 'features') out.push({ kind: 'position', name, sd: length(value, name) });
      else fail(`“${name}” is no grid and no points; only those have errors here.`);
      continue;
    }
    const spec = own(specs, name) ?? fail(`there is no input and no setting “${name}”.`);
    out.push(between(name, value, spec, m));
  }
  if (!out.length) fail('say how wrong what goes in may be, like tiles: 2 m over 300 m.');
  return out;
}

function length(text: string, name: string): number {
  const m = inBase(parseQuantity(text, 'length', 'errors'), 'm');
  if (!(m >= 0)) fail(`an error is not less than 0, as in ${name}: ${text}.`);
  return m;
}

/** `2 m over 300 m`, `1.5`: the first in the unit of the values. */
function valuesOf(name: string, text: string, info: DatasetInfo | undefined): Stated {
  const [first, second, more] = text.split(/\s+over\s+/i) as [string, string?, string?];
  if (more !== undefined) fail(`“${text}” is not VALUE over LENGTH.`);
  const unit = info?.kind === 'raster' ? (info.bands[0]?.unit ?? null) : null;
  const factor = unitFactor(unit);
  let sd = Number(first.trim().replace(',', '.'));
  if (!Number.isFinite(sd) || first.trim() === '') {
    const quantity = inBase(parseQuantity(first, 'length', 'errors'), 'm');
    if (info && !factor)
      fail(`the values of ${name} have ${unit ? `the unit ${unit}` : 'no unit'}; write the error as a bare number.`);
    sd = quantity / (factor ?? 1);
  }
  if (!(sd >= 0)) fail(`an error is not less than 0, as in ${name}: ${text}.`);
  return { kind: 'values', name, sd, length: second === undefined ? 0 : length(second, name) };
}

/** `100 m to 300 m`. */
function between(name: string, text: string, spec: ParamSpec, m: Method): Stated {
  const [a, b, more] = text.split(/\s+to\s+/i) as [string, string?, string?];
  if (b === undefined || more !== undefined) fail(`“${text}” of ${name} is not VALUE to VALUE.`);
  const read = (v: string): number => {
    const one = (
      m.params.shape[name] as {
        safeParse(x: unknown): { success: boolean; data?: unknown; error?: { issues: { message: string }[] } };
      }
    ).safeParse(v.trim());
    if (!one.success) fail(`${name}: ${one.error!.issues[0]!.message}`);
    if (typeof one.data !== 'number') fail(`${name} is no number; only numbers lie between two.`);
    return one.data as number;
  };
  const [from, to] = [read(a), read(b!)];
  if (!(from <= to)) fail(`${name}: ${a} is more than ${b}.`);
  return { kind: 'setting', name, from, to, spec };
}

/** A value of a setting in the form in which it is given. */
export const givenSetting = (s: Extract<Stated, { kind: 'setting' }>, v: number): unknown => plainParam(s.spec, v);
