import { findUnit } from '../data/quantity';
import type { Node } from './parse';

/** Written numbers take any unit. */
const ANY = 0;
type Unit = string | null | undefined | typeof ANY;

const CHOOSING = new Set(['abs', 'round', 'floor', 'ceil', 'min', 'max', 'coalesce', 'clamp', 'hypot']);

/**
 * The unit of what a formula gives, where it only chooses, compares, adds or rounds values of one unit: `a == -9999 ? 0 / 0 : a` has that of
 * `a`. An offset keeps units of length, area, time and angle only: `a - 273.15` is how degrees of temperature are converted.
 *
 * @param unitOf unit of a name; empty where it has none, null where it is not known
 * @returns null where it is that of a name whose unit is not known; undefined where the formula makes another quantity
 */
export function unitThrough(tree: Node, unitOf: (name: string) => string | null): string | null | undefined {
  const unit = through(tree, unitOf);
  return unit === ANY ? undefined : unit;
}

function through(n: Node, unitOf: (name: string) => string | null): Unit {
  const of = (m: Node): Unit => through(m, unitOf);
  switch (n.kind) {
    case 'number':
      return ANY;
    case 'text':
      return undefined;
    case 'name':
      return unitOf(n.name);
    case 'unary':
      return n.op === '-' ? of(n.a) : undefined;
    case 'choice':
      return joined(of(n.a), of(n.b));
    case 'binary': {
      const [a, b] = [of(n.a), of(n.b)];
      if (a === ANY && b === ANY) return ANY;
      if (n.op !== '+' && n.op !== '-') return undefined;
      const both = joined(a, b);
      return typeof both === 'string' && (a === ANY || b === ANY) && both !== '' && !findUnit(both) ? null : both;
    }
    case 'call':
      if (n.name === 'if') return joined(of(n.args[1]!), of(n.args[2]!));
      return CHOOSING.has(n.name) ? n.args.map(of).reduce(joined) : undefined;
  }
}

function joined(a: Unit, b: Unit): Unit {
  if (a === ANY) return b;
  if (b === ANY || a === b) return a;
  if (a === undefined || b === undefined) return undefined;
  return a === null || b === null ? null : undefined;
}
