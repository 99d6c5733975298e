import { readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import { displayUnit, HelkError, kindOf, type Method } from '@helk/core';
import { checkRecipe } from '@helk/core/recipe/check';
import { recipeMethod } from '@helk/core/recipe/method';
import { keptOf, methodOfStep, specsOf, stepTitle } from '@helk/core/recipe/reads';
import { openSettings } from '@helk/core/recipe/settings';
import { fromsOf, MOST_TEXT, parseRecipe, type Recipe } from '@helk/core/recipe/shape';
import type { Arguments } from './arguments';
import { runAndTell } from './run';

const print = (s: string): void => void process.stdout.write(`${s}\n`);

/** A recipe from a file. @throws HelkError `file.missing` or `recipe.invalid` */
export function recipeIn(path: string): Recipe {
  let text: string;
  try {
    if (statSync(path).size > MOST_TEXT * 4)
      throw new HelkError('recipe.invalid', `"${path}" is too large for a recipe.`, path);
    text = readFileSync(path, 'utf8');
  } catch (e) {
    if (e instanceof HelkError) throw e;
    throw new HelkError(
      'file.missing',
      `"${path}" cannot be read (${(e as NodeJS.ErrnoException).code ?? 'unknown reason'}).`,
      path,
    );
  }
  return parseRecipe(text);
}

/** The same as a method. */
export const methodIn = (path: string): Method => recipeMethod(recipeIn(path), `recipe:${basename(path)}`);

/** `recipe check FILE` and `recipe run FILE`. */
export async function recipe(a: Arguments): Promise<void> {
  const [what, path, more] = a.positional;
  if (what !== 'check' && what !== 'run')
    throw new HelkError('request.invalid', 'Write ./helk recipe check FILE or ./helk recipe run FILE.');
  if (path === undefined) throw new HelkError('request.invalid', 'Give the file of a recipe.');
  if (more !== undefined) throw new HelkError('request.invalid', `"${more}" is one argument too many.`);
  if (what === 'check') return check(recipeIn(path), a);
  const read = recipeIn(path);
  return runAndTell(recipeMethod(read, `recipe:${basename(path)}`), a, { recipe: read.title });
}

function check(r: Recipe, a: Arguments): void {
  const checks = checkRecipe(r);
  const no = checks.find((c) => c.level === 'refused');
  if (a.json) {
    const { title, about, inputs } = r;
    const steps = r.steps.map((s) => {
      const m = methodOfStep(s);
      return { ...s, title: stepTitle(s), settings: m ? openSettings(s, specsOf(m)).map((n) => `${s.id}.${n}`) : [] };
    });
    print(JSON.stringify({ title, about, inputs, steps, makes: keptOf(r), checks }, null, 2));
  } else tell(r);
  if (!a.json) for (const c of checks) if (c.level === 'look') print(`look here: ${c.message}`);
  if (no) {
    const others = checks.filter((c) => c.level === 'refused').slice(1, 10);
    throw new HelkError('recipe.invalid', [no, ...others].map((c) => c.message).join('\n'), no.step);
  }
}

/** The recipe as a procedure in words. */
function tell(r: Recipe): void {
  print(`${r.title}${r.question ? `: ${r.question}` : ''}`);
  if (r.about) print(r.about);
  print('\nGoes in');
  for (const i of r.inputs)
    print(`  ${i.name}  ${i.many ? `${kindOf(i).words.many}, one or more` : kindOf(i).words.one}  ${i.label}`);
  print('\nSteps');
  for (const [k, s] of r.steps.entries()) {
    const m = methodOfStep(s);
    print(`  ${k + 1}. ${s.id}  ${stepTitle(s)} (${s.method})`);
    for (const [role, given] of Object.entries(s.inputs)) print(`     ${role} from ${fromsOf(given).join(', ')}`);
    const open = m ? openSettings(s, specsOf(m)) : [];
    for (const [name, spec] of Object.entries(m ? specsOf(m) : {})) {
      const value = s.params[name] ?? spec.default;
      if (!open.includes(name) && s.params[name] === undefined) continue;
      const unit = spec.unit && spec.unit !== 'crs' ? ` (${displayUnit(spec.unit)})` : '';
      print(
        `     ${open.includes(name) ? `--set ${s.id}.${name}` : name}  ${value === undefined ? 'from the data' : String(value as string)}${typeof value === 'number' ? unit : ''}  ${spec.label}`,
      );
    }
    if (s.note) print(`     ${s.note}`);
  }
  print(`\nMakes\n  ${keptOf(r).join('\n  ')}`);
}
