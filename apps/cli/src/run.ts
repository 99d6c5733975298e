import {
  displayUnit,
  figureUnit,
  formatFigure,
  runOn,
  SHARE,
  studied,
  type DatasetInfo,
  type Figures,
  type Infos,
  type Method,
  type Note,
} from '@helk/core';
import type { StepDone } from '@helk/core';
import type { Arguments } from './arguments';
import { givenIn, settingsIn, type Given } from './inputs';
import { checkTarget, withResults, type Written } from './write';

const print = (s: string): void => void process.stdout.write(`${s}\n`);

/** A run that is over. */
export interface Ran {
  params: Record<string, unknown>;
  figures: Figures;
  notes: Note[];
  outputs: Written[];
  steps: StepDone[];
  seconds: number;
  /** Of the first result, for what figures are told in. */
  first: DatasetInfo | undefined;
}

/** One run, its results written whole or not at all. @param file what a result is called, by its role and how many there are */
export async function runOnce(
  m: Method,
  given: Given,
  settings: Record<string, unknown>,
  a: Pick<Arguments, 'out' | 'as' | 'seed' | 'json'>,
  o: { infos?: Infos; file?: (role: string, of: number) => string; words?: string } = {},
): Promise<Ran> {
  const started = process.hrtime.bigint();
  const onProgress =
    process.stderr.isTTY && !a.json
      ? (share: number, stage: string) =>
          process.stderr.write(`\r${(share * 100).toFixed(0).padStart(3)} %  ${`${o.words ?? ''}${stage}`.padEnd(50)}`)
      : undefined;
  const {
    outcome,
    files: written,
    lost,
  } = await withResults(a, async (results) => {
    const done = await runOn(m, given.handles, settings, {
      infos: o.infos ?? (await studied(given.handles)),
      seed: a.seed,
      names: given.names,
      openSink: results.openSink,
      ...(onProgress ? { onProgress } : {}),
    });
    const file = o.file ?? ((role: string) => role);
    return {
      outcome: done,
      ...(await results.write(done.outputs.map((x) => ({ ...x, file: file(x.role, done.outputs.length) })))),
    };
  });
  if (onProgress) process.stderr.write('\r'.padEnd(60) + '\r');
  return {
    params: outcome.params,
    figures: outcome.figures,
    notes: [...given.read.flatMap((l) => l.notes), ...outcome.notes, ...(a.as ? lost : [])],
    outputs: written,
    steps: outcome.steps ?? [],
    seconds: Number(process.hrtime.bigint() - started) / 1e9,
    first: outcome.outputs[0]?.handle.head as DatasetInfo | undefined,
  };
}

/** Runs one method, or one recipe, as the command line says, and tells what came of it. @param head what stands first in the JSON */
export async function runAndTell(m: Method, a: Arguments, head: Record<string, unknown>): Promise<void> {
  checkTarget(a);
  const given = await givenIn(a, m);
  const infos = await studied(given.handles);
  const ran = await runOnce(m, given, settingsIn(a), a, { infos });
  const { params, figures, notes, outputs, steps, seconds } = ran;
  const result = {
    ...head,
    inputs: given.inputs,
    params,
    seed: a.seed,
    outputs,
    figures,
    notes,
    ...(steps.length ? { steps } : {}),
    seconds,
  };
  if (a.json) return print(JSON.stringify(result, null, 2));
  for (const n of notes) print(`${n.level === 'look' ? 'look here' : n.level}: ${n.message}`);
  const units = Object.fromEntries(
    steps.flatMap((s) => Object.entries(s.units).map(([name, u]) => [`${s.id}.${name}`, u])),
  );
  const of = { band: Object.values(infos).flat()[0], result: ran.first };
  for (const [k, v] of Object.entries(figures)) {
    const unit = units[k] ?? figureUnit(m.figures[k]?.unit, params, of);
    const plain = v === null ? 'none' : `${v}${unit ? ` ${displayUnit(unit)}` : ''}`;
    print(`${m.figures[k]?.label ?? k}: ${unit === SHARE && typeof v === 'number' ? formatFigure(v, unit) : plain}`);
  }
  for (const f of outputs) print(`${f.role}: ${f.file}`);
  print(`${seconds.toFixed(2)} s`);
}
