import type { Check } from '../data/check';
import { systemWords } from '../data/crs-record';
import { kindOf, systemOf } from '../data/kinds';
import { formatBytes, formatDuration } from '../data/number-words';
import { figureUnit, figureWords, type MethodDescription } from '../method/describe';
import { settingWords } from '../method/setting-words';
import { historyOf, type History, type Passage, type Read } from '../recipe/history';
import { matters } from '../recipe/settings';
import { writeRecipe, type Recipe, type Step } from '../recipe/shape';
import type { Block, Document, Fact } from './document';
import type { ReportFacts, ToldDataset } from './facts';
import type { Report } from './shape';

export const RECIPE_FILE = 'recipe.json';
/** Sources that are told of one by one; more of them stand in a table. */
const FEW = 4;
/** Digits of a fingerprint that tell files apart. */
const FINGERPRINT = 12;

/** A report as a document: what was asked, what was found, what went in with its checks, what was done with settings and figures, and how it is done again. */
export function contentsOf(report: Report, facts: ReportFacts): Document {
  const history = historyOf(report.results, facts);
  const recipe = typeof facts.recipe === 'string' ? null : facts.recipe;
  return {
    title: report.title,
    lines: [
      [report.by, facts.date].filter(Boolean).join(', '),
      `Project “${facts.name}”${facts.system ? `, drawn in ${systemWords(facts.system)}` : ''}`,
    ],
    blocks: [
      ...asked(report, history, facts),
      ...found(report, history, facts),
      ...wentIn(history, facts),
      ...done(report, history, facts, recipe),
      ...references(history, facts),
      ...again(history, facts, recipe),
    ],
    attached: recipe
      ? [
          {
            name: RECIPE_FILE,
            type: 'application/json',
            about: 'The procedure of this report, to be run again',
            text: writeRecipe(recipe),
          },
        ]
      : [],
    foot: `Made with Helk ${facts.version} on ${facts.date}`,
  };
}

function asked(report: Report, history: History, facts: ReportFacts): Block[] {
  const questions = [
    ...new Set(
      history.results.flatMap(
        (r) => facts.method(history.passages.find((p) => p.key === r.key)?.method ?? '')?.question ?? [],
      ),
    ),
  ];
  const text = report.asked.trim() || questions.join('\n\n');
  return text
    ? [
        { kind: 'heading', level: 2, text: 'What was asked' },
        { kind: 'text', text, voice: true },
      ]
    : [];
}

function found(report: Report, history: History, facts: ReportFacts): Block[] {
  const out: Block[] = [{ kind: 'heading', level: 2, text: 'What was found' }];
  if (report.answer.trim()) out.push({ kind: 'text', text: report.answer });
  const rows = report.results.map((id, i): string[] => {
    const d = facts.datasets[id];
    const step = history.passages.findIndex((p) => p.key === history.results[i]!.key) + 1;
    return [
      history.results[i]!.name,
      d ? kindOf(d.info).summary(d.info) : 'removed since',
      step ? String(step) : 'source',
    ];
  });
  if (rows.length)
    out.push({
      kind: 'table',
      caption: 'Results',
      head: [{ text: 'Result' }, { text: 'What it is' }, { text: 'From step', numbers: true }],
      rows,
    });
  for (const [i, p] of history.passages.entries()) {
    const figures = isAsked(p, history) ? figuresOf(p, history, facts) : [];
    if (figures.length) out.push({ kind: 'facts', title: `Figures of step ${i + 1}, ${p.title}`, rows: figures });
  }
  const stale = report.results.flatMap((id) => {
    const words = facts.outdated.get(id);
    return words ? [{ level: 'look' as const, text: `“${facts.datasets[id]?.name ?? ''}”: ${words}` }] : [];
  });
  if (stale.length) out.push({ kind: 'checks', items: stale });
  for (const id of report.findings) {
    const f = facts.findings.find((x) => x.id === id);
    if (f)
      out.push({
        kind: 'figure',
        drawing: f.drawing,
        title: f.title,
        note: f.note,
        caution: facts.outdated.get(f.id) ?? '',
      });
  }
  return out.length > 1 ? out : [];
}

/** Whether one of the results comes from it: its figures are told with them. */
const isAsked = (p: Passage, history: History): boolean => history.results.some((r) => r.key === p.key);

function wentIn({ sources }: History, facts: ReportFacts): Block[] {
  if (!sources.length) return [];
  const out: Block[] = [{ kind: 'heading', level: 2, text: 'What went in' }];
  const there = sources.map((s) => ({ ...s, dataset: facts.datasets[s.id] ?? null }));
  if (there.length > FEW) {
    out.push({
      kind: 'table',
      caption: `${there.length} sources`,
      head: [
        { text: 'Source' },
        { text: 'What it is' },
        { text: 'System' },
        { text: 'File' },
        { text: 'SHA-256 begins' },
      ],
      rows: there.map(({ name, dataset: d }) => [
        name,
        d ? kindOf(d.info).summary(d.info) : 'removed since',
        d ? systemOfDataset(d) : '',
        d?.source ? `${d.source.file}, ${formatBytes(d.source.bytes).replace(' ', '\u00a0')}` : '',
        d?.source?.sha256.slice(0, FINGERPRINT) ?? '',
      ]),
    });
    const all = sayingOnce(there.flatMap(({ dataset: d }) => (d ? [d] : [])));
    out.push({
      kind: 'checks',
      items: all.length ? all : [{ level: 'fine', text: 'The checks on arrival have nothing to say of them.' }],
    });
    return out;
  }
  for (const { name, dataset: d } of there) {
    out.push({ kind: 'heading', level: 3, text: name });
    if (!d) {
      out.push({ kind: 'text', text: 'Removed from the project since.', quiet: true });
      continue;
    }
    if (d.note) out.push({ kind: 'text', text: d.note });
    out.push({ kind: 'facts', title: `What “${d.name}” is`, rows: factsOf(d) });
    const said = d.checks.map((c) => ({ level: c.level, text: c.message }));
    out.push({
      kind: 'checks',
      items: said.length ? said : [{ level: 'fine', text: 'The checks on arrival have nothing to say of it.' }],
    });
  }
  return out;
}

/** Checks that ask for a look, each once, with all that it is about. */
function sayingOnce(all: readonly ToldDataset[]): { level: Check['level']; text: string }[] {
  const by = new Map<string, { level: Check['level']; message: string; names: string[] }>();
  for (const d of all)
    for (const { level, message } of d.checks)
      if (level !== 'fine') {
        const known = by.get(message);
        if (known) known.names.push(d.name);
        else by.set(message, { level, message, names: [d.name] });
      }
  return [...by.values()].map((c) => ({
    level: c.level,
    text: `${c.names.map((n) => `“${n}”`).join(', ')}: ${c.message}`,
  }));
}

function systemOfDataset(d: ToldDataset): string {
  if (!kindOf(d.info).placed) return '';
  const crs = systemOf(d.info);
  return crs ? systemWords(crs) : 'not known';
}

function factsOf(d: ToldDataset): Fact[] {
  const out: Fact[] = [{ name: 'Kind', value: kindOf(d.info).summary(d.info) }];
  const system = systemOfDataset(d);
  if (system) out.push({ name: 'System', value: system });
  out.push(...kindOf(d.info).details(d.info));
  if (d.source) {
    const { file, format, bytes, sha256, service, crs, choices } = d.source;
    out.push({ name: 'File', value: `${file}, ${formatBytes(bytes)}, ${format}` });
    if (typeof service === 'string') out.push({ name: 'Service', value: service });
    if (sha256) out.push({ name: 'SHA-256', value: sha256 });
    if (typeof crs === 'string') out.push({ name: 'System said on arrival', value: crs });
    const chosen = Object.entries((choices ?? {}) as Record<string, unknown>).filter(
      ([k, v]) => k !== 'layer' && k !== 'name' && v !== undefined,
    );
    if (chosen.length)
      out.push({ name: 'Decided on arrival', value: chosen.map(([k, v]) => `${k} ${String(v)}`).join(', ') });
  }
  out.push({ name: 'Taken in', value: d.createdAt.slice(0, 10) });
  return out;
}

function done(report: Report, history: History, facts: ReportFacts, recipe: Recipe | null): Block[] {
  if (!history.passages.length) return [];
  const out: Block[] = [{ kind: 'heading', level: 2, text: 'What was done' }];
  const number = new Map(history.passages.map((p, i) => [p.key, i + 1]));
  const readWords = (r: Read): string =>
    `${r.name}${r.band === null ? '' : `, band ${r.band + 1}`}${r.role === null ? '' : ` (step ${number.get(r.key) ?? '?'})`}`;
  for (const [i, p] of history.passages.entries()) {
    const m = facts.method(p.method);
    out.push({ kind: 'heading', level: 3, text: p.title, mark: String(i + 1) });
    if (m) out.push({ kind: 'text', text: m.question, voice: true });
    const note = p.makes.map((x) => facts.datasets[x.dataset ?? '']?.note).find(Boolean);
    if (note) out.push({ kind: 'text', text: note });
    // Steps of the recipe are those of the history, in the same order.
    const rows: Fact[] = [
      ...Object.entries(p.inputs).flatMap(([role, reads]): Fact[] =>
        reads.length ? [{ name: m?.inputs[role]?.label ?? role, value: reads.map(readWords).join('\n') }] : [],
      ),
      ...settingsOf(p, m, report.settings === 'all', recipe?.steps[i]),
    ];
    out.push({ kind: 'facts', title: `What went into step ${i + 1}, and its settings`, rows });
    const figures = isAsked(p, history) ? [] : figuresOf(p, history, facts);
    if (figures.length) out.push({ kind: 'facts', title: `Figures of step ${i + 1}`, rows: figures });
    const notes = notesOf(p, facts);
    if (notes.length) out.push({ kind: 'checks', items: notes });
    out.push({ kind: 'text', quiet: true, text: workOf(p, m, facts) });
  }
  return out;
}

function settingsOf(p: Passage, m: MethodDescription | undefined, all: boolean, step: Step | undefined): Fact[] {
  if (!m) return Object.entries(p.params).map(([name, v]) => ({ name, value: String(v) }));
  const as: Step = { id: 'x', method: p.method, inputs: {}, params: p.params as Step['params'] };
  return Object.entries(m.params).flatMap(([name, spec]): Fact[] => {
    const v = p.params[name];
    const set = v !== undefined && v !== null && v !== '' && v !== 'auto';
    if (!set || !matters(as, m.params, name)) return [];
    const usual = String(v as string) === String(spec.default as string);
    if (usual && !all) return [];
    const suggested = step !== undefined && !(name in step.params) && !usual;
    return [
      {
        name: spec.label,
        value: settingWords(spec, v),
        more: suggested ? 'as the data suggest' : usual ? 'as usual' : '',
      },
    ];
  });
}

function figuresOf(p: Passage, history: History, facts: ReportFacts): Fact[] {
  const m = facts.method(p.method);
  const infoOf = (id: string | null | undefined) => facts.datasets[id ?? '']?.info;
  const first = Object.values(p.inputs)[0]?.[0];
  const made = history.passages.find((x) => x.key === first?.key)?.makes.find((x) => x.role === first?.role);
  const of = { band: infoOf(made ? made.dataset : first?.key), result: infoOf(p.makes[0]?.dataset) };
  return Object.entries(p.figures).map(([name, v]) => ({
    name: m?.figures[name]?.label ?? name,
    value: figureWords(v, p.units[name] ?? figureUnit(m?.figures[name]?.unit, p.params, of)),
  }));
}

function notesOf(p: Passage, facts: ReportFacts): { level: 'fine' | 'look' | 'refused'; text: string }[] {
  const run = facts.runs[p.run.id];
  const notes = p.step === null ? (run?.notes ?? []) : (run?.steps.find((s) => s.id === p.step)?.notes ?? []);
  return notes.map((n) => ({ level: n.level === 'info' ? 'fine' : n.level, text: n.message }));
}

/** Which method it was, at which version, when, and how long it took. */
function workOf(p: Passage, m: MethodDescription | undefined, facts: ReportFacts): string {
  const run = facts.runs[p.run.id];
  const seconds =
    p.step === null
      ? run?.startedAt && run.endedAt
        ? (Date.parse(run.endedAt) - Date.parse(run.startedAt)) / 1000
        : null
      : (run?.steps.find((s) => s.id === p.step)?.seconds ?? null);
  return [
    `Method ${p.method}, version ${p.version}`,
    ...(m?.random ? [`chance from seed ${p.seed}`] : []),
    ...(run?.endedAt ? [run.endedAt.slice(0, 10)] : []),
    ...(seconds === null ? [] : [formatDuration(seconds)]),
    `made ${p.makes.map((x) => `“${x.name}”`).join(', ')}`,
  ].join(' · ');
}

/** What the methods go back to, each once, with what it was used for. */
function references(history: History, facts: ReportFacts): Block[] {
  const used = new Map<string, Set<string>>();
  for (const p of history.passages) {
    const m = facts.method(p.method);
    for (const s of m?.sources ?? []) used.set(s, (used.get(s) ?? new Set()).add(m!.title));
  }
  if (!used.size) return [];
  return [
    { kind: 'heading', level: 2, text: 'What the methods go back to' },
    {
      kind: 'list',
      items: [...used].map(([s, titles]) => `${s} · ${[...titles].join(', ')}`).sort((a, b) => a.localeCompare(b)),
    },
  ];
}

function again(history: History, facts: ReportFacts, recipe: Recipe | null): Block[] {
  if (!history.passages.length) return [];
  const out: Block[] = [{ kind: 'heading', level: 2, text: 'To do it again' }];
  if (!recipe) {
    out.push({ kind: 'text', text: `It cannot be had as a recipe: ${String(facts.recipe)}` });
    return out;
  }
  const inputs = recipe.inputs.map((i) => `--in ${i.name}=FILE`).join(' ');
  out.push(
    {
      kind: 'attached',
      name: RECIPE_FILE,
      text: 'The whole procedure is a recipe, which another project opens and runs on other data:',
    },
    { kind: 'text', text: 'The same from a command line:' },
    { kind: 'code', text: `./helk recipe run ${RECIPE_FILE} ${inputs} --out results` },
    {
      kind: 'text',
      quiet: true,
      text: `Settings that the data had suggested are left to the data there; with the same inputs and Helk ${facts.version} the same results come out.`,
    },
  );
  return out;
}
