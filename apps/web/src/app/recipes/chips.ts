import type { ParamSpec } from '@helk/core';
import { settingWords } from '@helk/core/method/setting-words';
import { matters, openSettings } from '@helk/core/recipe/settings';
import type { Step } from '@helk/core/recipe/shape';

/** A setting of a step as it is read. */
export interface Chip {
  name: string;
  label: string;
  value: string;
  /** Offered to whoever runs the recipe, or likely to be. */
  open: boolean;
  /** Left to the data, or to nothing. */
  unset: boolean;
}

/**
 * Settings of a step that say something: those that are offered, and those that are not what the method would take anyway.
 *
 * @param all every setting that matters
 * @param done of a run that is over: all its settings are given
 */
export function chipsOf(step: Step, specs: Record<string, ParamSpec>, all = false, done = false): Chip[] {
  const open = openSettings(step, specs);
  return Object.entries(specs).flatMap(([name, spec]) => {
    const given = step.params[name];
    const set = given !== undefined && given !== null && given !== '' && given !== 'auto';
    const offered = open.includes(name);
    const odd = set && String(given as string) !== String(spec.default as string);
    if (!all && !offered && !odd) return [];
    // What the data had suggested for a setting that did not matter says nothing.
    if (!matters(step, specs, name) && (done || !set)) return [];
    const value = set ? given : spec.default;
    const told = value !== undefined && value !== 'auto';
    return [
      {
        name,
        label: spec.label,
        value: told ? settingWords(spec, value) : spec.optional && !spec.auto ? 'not set' : 'from the data',
        open: offered,
        unset: !told,
      },
    ];
  });
}
