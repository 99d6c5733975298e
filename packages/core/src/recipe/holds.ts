import { findUnit } from '../data/quantity';
import type { Wants } from '../data/kinds/kind';
import type { Holds, OutputSpec } from '../method/define';
import { fromsOf, withoutBand, type Recipe } from './shape';

type OutputsOf = (method: string) => Readonly<Record<string, Pick<OutputSpec, 'holds'>>> | undefined;

/** What is known of each result of a recipe before there are any data, by `STEP.ROLE`. O(steps) */
export function heldBy(recipe: Recipe, outputsOf: OutputsOf): Map<string, Holds> {
  const out = new Map<string, Holds>();
  for (const step of recipe.steps)
    for (const [role, { holds }] of Object.entries(outputsOf(step.method) ?? {})) {
      if (!holds) continue;
      const { as, ...own } = holds;
      const [like] = as ? fromsOf(step.inputs[as]) : [];
      // Of what goes in nothing is known yet.
      const known = { ...(like === undefined ? {} : out.get(withoutBand(like))), ...own };
      if (Object.keys(known).length) out.set(`${step.id}.${role}`, known);
    }
  return out;
}

const WORDS = { point: 'points', line: 'lines', polygon: 'areas' };

/** Why what is known of a result does not do where something is wanted; null where nothing speaks against it. */
export function clash(wants: Wants, held: Holds | undefined): string | null {
  if (!held) return null;
  if (wants.geometry && held.geometry && wants.geometry !== held.geometry)
    return `${WORDS[wants.geometry]} are wanted, and it holds ${WORDS[held.geometry]}`;
  if (wants.band && held.band && wants.band !== held.band)
    return wants.band === 'measure'
      ? 'measured values are wanted, and it holds classes'
      : 'classes are wanted, and it holds measured values';
  if (wants.unit === 'length' && held.unit && findUnit(held.unit)?.dimension !== 'length')
    return `values in a unit of length are wanted, and its are in ${held.unit}`;
  return null;
}
