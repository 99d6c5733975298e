import { readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import {
  arrivalChecks,
  cellMetres,
  describeMethod,
  displayUnit,
  familyOf,
  figureUnit,
  gridExtent,
  HelkError,
  infoOf,
  methodOf,
  methods,
  parseCrs,
  runMethod,
  toProblem,
  type Crs,
  type Dataset,
} from '@helk/core';
import { readFile, type Layer } from '@helk/core/formats';
import { validityNotes } from '@helk/core/methods/features/validity';
import { setupNode } from '@helk/node';
import { parseArguments, type Arguments } from './arguments';
import { gather } from './gather';
import { checkTarget, writeAll } from './write';

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

async function load(path: string, crs: Crs | null, steps?: Record<string, number>): Promise<Layer[]> {
  let bytes: Uint8Array;
  try {
    if (statSync(path).isDirectory()) throw new HelkError('file.missing', `"${path}" is a folder; name a file.`, path);
    bytes = readFileSync(path);
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
  return (await readFile(basename(path), bytes, { crs, sibling, ...(steps ? { steps } : {}) })).layers;
}

async function inspect(a: Arguments): Promise<void> {
  const path = one(a, 'a file');
  const layers = await load(path, a.crs ? parseCrs(a.crs) : null);
  for (const l of layers) if (l.data.kind === 'features') l.notes = [...l.notes, ...(await validityNotes(l.data))];
  const described = layers.map((l) => {
    const info = infoOf(l.data);
    const checks = [...l.notes, ...arrivalChecks(info)].map(({ level, code, message }) => ({ level, code, message }));
    if (info.kind === 'raster') {
      const { grid } = info;
      return {
        name: l.name,
        kind: info.kind,
        crs: grid.crs ? { code: grid.crs.code, name: grid.crs.name, unit: grid.crs.unit } : null,
        extent: gridExtent(grid),
        columns: grid.columns,
        rows: grid.rows,
        cellSize: [grid.dx, grid.dy],
        ...(l.steps ? { steps: l.steps } : {}),
        cellSizeMetres: grid.crs ? cellMetres(grid, grid.rows >> 1) : null,
        bands: info.bands.map((b) => ({
          name: b.name,
          kind: b.kind,
          unit: b.unit,
          type: b.storedType,
          missingCode: b.missingCode,
          count: b.facts!.summary.count,
          missing: b.facts!.summary.missing,
          enclosedCells: b.facts!.enclosedCells,
          min: b.facts!.summary.min,
          max: b.facts!.summary.max,
          mean: b.facts!.summary.mean,
          sd: b.facts!.summary.sd,
        })),
        checks,
      };
    }
    if (info.kind === 'features') {
      const { crs, geometry, count, extent, columns } = info;
      return {
        name: l.name,
        kind: info.kind,
        geometry,
        count,
        crs: crs ? { code: crs.code, name: crs.name, unit: crs.unit } : null,
        extent,
        columns,
        checks,
      };
    }
    return { name: l.name, kind: info.kind, rows: info.rows, columns: info.columns, checks };
  });
  if (a.json) return print(JSON.stringify(described.length === 1 ? described[0] : { layers: described }, null, 2));
  for (const d of described) {
    print(`${d.name}: ${d.kind}`);
    for (const [k, v] of Object.entries(d))
      if (!['name', 'kind', 'checks', 'bands'].includes(k)) print(`  ${k}: ${plainly(v)}`);
    if ('bands' in d)
      for (const b of d.bands!)
        print(
          `  band ${b.name}: ${b.min} to ${b.max}${b.unit ? ` ${displayUnit(b.unit)}` : ', unit not known'}, ${b.type}, ${b.missing} missing (code ${b.missingCode ?? 'none'}), ${b.enclosedCells} of them inside the data`,
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
async function choose(path: string, name: string | null, crs: Crs | null): Promise<Layer> {
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

/** The layer, or the raster cut down to the band, of that name. */
function pick(layers: Layer[], name: string | null, path: string): Layer {
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
    if (l.data.kind !== 'raster') continue;
    const band = l.data.bands.find((b, i) => b.name === name || String(i + 1) === name);
    if (band) return { ...l, name, data: { ...l.data, bands: [band] } };
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
  const data: Record<string, Dataset[]> = {};
  const names: Record<string, string[]> = {};
  const inputs: Record<string, string[]> = {};
  const notes: Layer['notes'] = [];
  for (const text of a.in) {
    const { role, path, layer } = inputSpec(text);
    if (!Object.hasOwn(m.inputs, role))
      throw new HelkError(
        'method.input',
        `${m.id} has no input "${role}"; it takes ${Object.keys(m.inputs).join(', ')}.`,
        role,
      );
    const l = await choose(path, layer, crs);
    (data[role] ??= []).push(l.data);
    (names[role] ??= []).push(l.name);
    (inputs[role] ??= []).push(layer ? `${path}#${layer}` : path);
    notes.push(...l.notes);
  }
  const onProgress =
    process.stderr.isTTY && !a.json
      ? (share: number, stage: string) =>
          process.stderr.write(`\r${(share * 100).toFixed(0).padStart(3)} %  ${stage.padEnd(30)}`)
      : undefined;
  const outcome = await runMethod(m, data, given, { seed: a.seed, names, ...(onProgress ? { onProgress } : {}) });
  if (onProgress) process.stderr.write('\r'.padEnd(40) + '\r');
  const { files, lost } = await writeAll(
    a,
    outcome.outputs.map((o) => ({ ...o, file: o.role })),
  );
  const seconds = Number(process.hrtime.bigint() - started) / 1e9;
  const result = {
    method: m.id,
    version: m.version,
    inputs,
    params: outcome.params,
    seed: a.seed,
    outputs: files,
    figures: outcome.figures,
    notes: [...notes, ...outcome.notes, ...(a.as ? lost : [])],
    seconds,
  };
  if (a.json) return print(JSON.stringify(result, null, 2));
  for (const n of result.notes) print(`${n.level === 'look' ? 'look here' : n.level}: ${n.message}`);
  const of = { band: Object.values(data).flat()[0], result: outcome.outputs[0]?.data };
  for (const [k, v] of Object.entries(outcome.figures)) {
    const unit = figureUnit(m.figures[k]?.unit, outcome.params, of);
    print(`${m.figures[k]?.label ?? k}: ${v === null ? 'none' : v}${unit ? ` ${displayUnit(unit)}` : ''}`);
  }
  for (const f of files) print(`${f.role}: ${f.file}`);
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
