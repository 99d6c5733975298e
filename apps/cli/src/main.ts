import { openSync, readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import {
  arrivalChecks,
  describeMethod,
  displayUnit,
  familyOf,
  figureUnit,
  formatFigure,
  HelkError,
  kindOf,
  methodOf,
  methods,
  parseCrs,
  runOn,
  SHARE,
  studied,
  toProblem,
  type AnyHandle,
  type Crs,
} from '@helk/core';
import { openFile, type ByteSource, type OpenLayer } from '@helk/core/formats';
import { fileSource, setupNode } from '@helk/node';
import { parseArguments, type Arguments } from './arguments';
import { gather } from './gather';
import { checkTarget, withResults } from './write';

const HELP = `Usage:
  ./helk methods [--json]                        all methods: id, title, question
  ./helk describe METHOD [--json]                inputs, parameters, outputs, figures, sources
  ./helk inspect FILE [--json]                   kind, system, extent, size, bands or columns, checks
  ./helk run METHOD --in ROLE=FILE[#NAME[:STEP]] … [--set PARAM=VALUE …] --out DIR
             [--seed N] [--json] [--as FORMAT] [--crs EPSG:n]
  ./helk gather ADDRESS [--find WORDS] [--json]  what a service (OGC API - Features) has
  ./helk gather ADDRESS COLLECTION [--columns A,B] [--bbox W,S,E,N] [--crs EPSG:n]
             --out DIR [--json] [--as FORMAT]    take the features of a collection
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
    case 'run':
      return run(a);
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

/** Files that are being read, until the command ends. */
const files: number[] = [];

async function load(path: string, crs: Crs | null, steps?: Record<string, number>): Promise<OpenLayer[]> {
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

/** Splits `ROLE=FILE#NAME`; a `#` that is part of an existing file's name stays with it. */
function inputSpec(text: string): { role: string; path: string; layer: string | null } {
  const eq = text.indexOf('=');
  if (eq < 1) throw new HelkError('request.invalid', `"${text}" is not ROLE=FILE.`);
  const role = text.slice(0, eq);
  const path = text.slice(eq + 1);
  const hash = path.lastIndexOf('#');
  if (hash < 0 || statSync(path, { throwIfNoEntry: false })) return { role, path, layer: null };
  return { role, path: path.slice(0, hash), layer: path.slice(hash + 1) };
}

/** `#NAME` names a layer or band, `#NAME:3` the third step (time, level) of a layer that has several. */
async function choose(path: string, name: string | null, crs: Crs | null): Promise<OpenLayer> {
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

async function run(a: Arguments): Promise<void> {
  const started = process.hrtime.bigint();
  const m = methodOf(one(a, 'a method id, like terrain.slope'));
  checkTarget(a);
  const crs = a.crs ? parseCrs(a.crs) : null;
  const given: Record<string, string> = {};
  for (const s of a.set) {
    const eq = s.indexOf('=');
    if (eq < 1) throw new HelkError('request.invalid', `"${s}" is not PARAM=VALUE.`);
    given[s.slice(0, eq)] = s.slice(eq + 1);
  }
  const handles: Record<string, AnyHandle[]> = {};
  const names: Record<string, string[]> = {};
  const inputs: Record<string, string[]> = {};
  const read: OpenLayer[] = [];
  for (const text of a.in) {
    const { role, path, layer } = inputSpec(text);
    if (!Object.hasOwn(m.inputs, role))
      throw new HelkError(
        'method.input',
        `${m.id} has no input "${role}"; it takes ${Object.keys(m.inputs).join(', ')}.`,
        role,
      );
    const l = await choose(path, layer, crs);
    (handles[role] ??= []).push(l.handle);
    (names[role] ??= []).push(l.name);
    (inputs[role] ??= []).push(layer ? `${path}#${layer}` : path);
    read.push(l);
  }
  const onProgress =
    process.stderr.isTTY && !a.json
      ? (share: number, stage: string) =>
          process.stderr.write(`\r${(share * 100).toFixed(0).padStart(3)} %  ${stage.padEnd(30)}`)
      : undefined;
  const infos = await studied(handles);
  const {
    outcome,
    files: written,
    lost,
  } = await withResults(a, async (results) => {
    const done = await runOn(m, handles, given, {
      infos,
      seed: a.seed,
      names,
      openSink: results.openSink,
      ...(onProgress ? { onProgress } : {}),
    });
    return { outcome: done, ...(await results.write(done.outputs.map((o) => ({ ...o, file: o.role })))) };
  });
  if (onProgress) process.stderr.write('\r'.padEnd(40) + '\r');
  const seconds = Number(process.hrtime.bigint() - started) / 1e9;
  const result = {
    method: m.id,
    version: m.version,
    inputs,
    params: outcome.params,
    seed: a.seed,
    outputs: written,
    figures: outcome.figures,
    notes: [...read.flatMap((l) => l.notes), ...outcome.notes, ...(a.as ? lost : [])],
    seconds,
  };
  if (a.json) return print(JSON.stringify(result, null, 2));
  for (const n of result.notes) print(`${n.level === 'look' ? 'look here' : n.level}: ${n.message}`);
  const of = { band: Object.values(infos).flat()[0], result: outcome.outputs[0]?.handle.head };
  for (const [k, v] of Object.entries(outcome.figures)) {
    const unit = figureUnit(m.figures[k]?.unit, outcome.params, of);
    const plain = v === null ? 'none' : `${v}${unit ? ` ${displayUnit(unit)}` : ''}`;
    print(`${m.figures[k]?.label ?? k}: ${unit === SHARE && typeof v === 'number' ? formatFigure(v, unit) : plain}`);
  }
  for (const f of written) print(`${f.role}: ${f.file}`);
  print(`${seconds.toFixed(2)} s`);
}

// A reader that has seen enough (`| head`) closes the pipe; that is no failure.
process.stdout.on('error', (e: NodeJS.ErrnoException) => process.exit(e.code === 'EPIPE' ? 0 : 1));
setupNode();
main(process.argv.slice(2)).catch((e: unknown) => {
  const p = toProblem(e);
  process.stderr.write(`${p.message}\n`);
  process.exitCode = e instanceof HelkError ? e.exitCode : 1;
});
