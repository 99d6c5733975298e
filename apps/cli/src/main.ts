import {
  arrivalChecks,
  describeMethod,
  displayUnit,
  familyOf,
  figureUnit,
  HelkError,
  kindOf,
  methodOf,
  methods,
  parseCrs,
  toProblem,
  type Method,
} from '@helk/core';
import { SIMULATE } from '@helk/core/recipe/names';
import { simulationMethod } from '@helk/core/recipe/simulation';
import { setupNode } from '@helk/node';
import { parseArguments, type Arguments } from './arguments';
import { gather } from './gather';
import { load, settingsIn } from './inputs';
import { recipe, recipeIn } from './recipe';
import { runAndTell } from './run';
import { table } from './table';

const HELP = `Usage:
  ./helk methods [--json]                        all methods: id, title, question
  ./helk describe METHOD [--json]                inputs, parameters, outputs, figures, sources
  ./helk inspect FILE [--json]                   kind, system, extent, size, bands or columns, checks
  ./helk run METHOD --in ROLE=FILE[#NAME[:STEP]] … [--set PARAM=VALUE …] --out DIR
             [--seed N] [--json] [--as FORMAT] [--crs EPSG:n]
  ./helk gather ADDRESS [--find WORDS] [--json]  what a service (OGC API - Features) has
  ./helk gather ADDRESS COLLECTION [--columns A,B] [--bbox W,S,E,N] [--crs EPSG:n]
             --out DIR [--json] [--as FORMAT]    take the features of a collection
  ./helk recipe check FILE [--json]              inputs, steps, what it makes, and what is wrong with it
  ./helk recipe run FILE --in NAME=FILE … [--set STEP.PARAM=VALUE …] --out DIR
             [--seed N] [--json] [--as FORMAT] [--crs EPSG:n]
  ./helk table run TABLE --method ID | --recipe FILE --out DIR [--names PATTERN]
             [--in ROLE=FILE …] [--set PARAM=VALUE …] [--json] [--as FORMAT]    a row a run
Exit code 0: done, 2: refused (standard error says what and why), 1: failed.
`;

const print = (s: string): void => void process.stdout.write(`${s}\n`);

async function main(argv: string[]): Promise<void> {
  const [command, ...rest] = argv;
  const a = parseArguments(rest);
  switch (command) {
    case 'methods':
      return listMethods(a);
    case 'describe':
      return describe(a);
    case 'inspect':
      return inspect(a);
    case 'run': {
      const m = methodFor(a);
      return runAndTell(m, a, { method: m.id, version: m.version });
    }
    case 'recipe':
      return recipe(a);
    case 'table':
      return table(a);
    case 'gather':
      return gather(a);
    case undefined:
    case 'help':
    case '--help':
      return print(HELP);
    default:
      throw new HelkError('request.invalid', `There is no command "${command}".\n${HELP}`);
  }
}

/** The method that is run; of a simulation that of the recipe it is given. */
function methodFor(a: Arguments): Method {
  const m = methodOf(one(a, 'a method id, like terrain.slope'));
  const { recipe: file } = settingsIn(a);
  return m.id === SIMULATE && file ? simulationMethod(recipeIn(file)) : m;
}

function listMethods(a: Arguments): void {
  const rows = methods().map((m) => ({ id: m.id, title: m.title, question: m.question, family: familyOf(m) }));
  if (a.json) return print(JSON.stringify(rows, null, 2));
  const wide = Math.max(...rows.map((r) => r.id.length));
  for (const r of rows) print(`${r.id.padEnd(wide)}  ${r.title} – ${r.question}`);
}

function describe(a: Arguments): void {
  const d = describeMethod(methodOf(one(a, 'a method id, like terrain.slope')));
  if (a.json) return print(JSON.stringify(d, null, 2));
  print(`${d.id}  (version ${d.version})\n${d.title}: ${d.question}\n\n${d.about}\n\nInputs`);
  for (const [role, i] of Object.entries(d.inputs))
    print(
      `  ${role}  ${i.kind}${i.many ? `, ${Math.max(1, i.least)} or more` : i.least === 0 ? ', optional' : ''}  ${i.label}`,
    );
  print('\nParameters');
  for (const [name, p] of Object.entries(d.params)) {
    const def = p.default === undefined ? (p.optional ? 'none' : 'required') : String(p.default);
    const kind = p.choices
      ? p.choices.map((c) => c.value).join('/')
      : `${p.type}${p.unit && p.unit !== 'crs' ? ` (${p.unit})` : ''}`;
    print(`  ${name}  ${kind}  default: ${def}  ${p.label}${p.help ? `. ${p.help}` : ''}`);
  }
  print('\nOutputs');
  for (const [role, o] of Object.entries(d.outputs)) print(`  ${role}  ${o.kind}  ${o.label}`);
  print('\nFigures');
  for (const [name, f] of Object.entries(d.figures))
    print(`  ${name}  ${f.label}${figureUnit(f.unit) ? ` (${displayUnit(f.unit)})` : ''}`);
  print(`\nSources\n  ${d.sources.join('\n  ')}`);
}

function one(a: Arguments, what: string): string {
  const [first, more] = a.positional;
  if (first === undefined) throw new HelkError('request.invalid', `Give ${what}.`);
  if (more !== undefined) throw new HelkError('request.invalid', `"${more}" is one argument too many.`);
  return first;
}

async function inspect(a: Arguments): Promise<void> {
  const path = one(a, 'a file');
  const layers = await load(path, a.crs ? parseCrs(a.crs) : null);
  const all = [];
  for (const l of layers) {
    const kind = kindOf(l.handle);
    const info = await kind.study(l.handle);
    const notes = [...((await kind.remarks?.(l.handle)) ?? []), ...l.notes, ...arrivalChecks(info)];
    all.push({
      name: l.name,
      kind: kind.kind as string,
      ...kind.inspect(info),
      ...(l.steps ? { steps: l.steps } : {}),
      checks: notes.map(({ level, code, message }) => ({ level, code, message })),
    });
  }
  if (a.json) return print(JSON.stringify(all.length === 1 ? all[0] : { layers: all }, null, 2));
  for (const d of all) {
    print(`${d.name}: ${d.kind}`);
    for (const [k, v] of Object.entries(d))
      if (!['name', 'kind', 'checks', 'bands'].includes(k)) print(`  ${k}: ${plainly(v)}`);
    if ('bands' in d)
      for (const b of d.bands as Record<string, never>[])
        print(
          `  band ${b.name}: ${b.min} to ${b.max}${b.unit ? ` ${displayUnit(b.unit)}` : b.kind === 'category' ? '' : ', unit not known'}, ${b.type}, ${b.missing} missing (code ${b.missingCode ?? 'none'}), ${b.enclosedCells} of them inside the data`,
        );
    for (const c of d.checks) print(`  ${c.level === 'look' ? 'look here' : c.level}: ${c.message}`);
  }
}

/** A part of what is inspected, for people: numbers without the dust of their last digits, facts within a column left to the checks. */
function plainly(v: unknown): string {
  if (v === null) return 'not known';
  if (typeof v === 'number') return String(Number(v.toPrecision(12)));
  if (Array.isArray(v))
    return v.map((x: unknown) => (typeof x === 'object' && x ? facts(x).join(' ') : plainly(x))).join(', ');
  return typeof v === 'object' ? facts(v).join(', ') : String(v);
}

const facts = (v: object): unknown[] => Object.values(v).filter((x) => x && typeof x !== 'object');

// A reader that has seen enough (`| head`) closes the pipe; that is no failure.
process.stdout.on('error', (e: NodeJS.ErrnoException) => process.exit(e.code === 'EPIPE' ? 0 : 1));
setupNode();
main(process.argv.slice(2)).catch((e: unknown) => {
  const p = toProblem(e);
  process.stderr.write(`${p.message}\n`);
  process.exitCode = e instanceof HelkError ? e.exitCode : 1;
});
