import { kindOf, systemOf } from '../data/kinds';
import { displayUnit } from '../data/quantity';
import { formatBytes } from '../data/number-words';
import { systemWords } from '../data/crs-record';
import type { Block, Document } from './document';
import type { ReportFacts, ToldDataset } from './facts';

/** A file of a package, with what it is. */
export interface PackedFile {
  /** Within the package, with `/` between folders. */
  path: string;
  /** Bytes, before they are packed. */
  bytes: number;
  /** What of the project it holds. */
  of: { dataset: string; format: string } | { about: string };
}

/** What lies in a package, and what went into none of its files, for whoever opens it without Helk. */
export function readmeOf(facts: ReportFacts, files: readonly PackedFile[], left: readonly string[]): Document {
  const data = files.flatMap((f) => ('dataset' in f.of ? [{ ...f, ...f.of }] : []));
  const others = files.flatMap((f) => ('about' in f.of ? [{ ...f, about: f.of.about }] : []));
  const blocks: Block[] = [];
  if (data.length)
    blocks.push(
      { kind: 'heading', level: 2, text: 'Data' },
      {
        kind: 'table',
        caption: 'Files of data, with their coordinate systems and units',
        head: [
          { text: 'File' },
          { text: 'What it holds' },
          { text: 'What it is' },
          { text: 'Coordinate system' },
          { text: 'Units' },
          { text: 'Made by' },
          { text: 'Size', numbers: true },
        ],
        rows: data.map((f) => {
          const d = facts.datasets[f.dataset];
          return [
            f.path,
            d?.name ?? '',
            d ? kindOf(d.info).summary(d.info) : '',
            d ? systemTold(d, f.format) : '',
            d ? unitsTold(d) : '',
            d ? makerOf(d, facts) : '',
            formatBytes(f.bytes),
          ];
        }),
      },
    );
  const checks = data.flatMap((f) => {
    const d = facts.datasets[f.dataset];
    return d
      ? d.checks.filter((c) => c.level !== 'fine').map((c) => ({ level: c.level, text: `${d.name}: ${c.message}` }))
      : [];
  });
  if (checks.length)
    blocks.push({ kind: 'heading', level: 2, text: 'What to know of the data' }, { kind: 'checks', items: checks });
  if (others.length)
    blocks.push(
      { kind: 'heading', level: 2, text: 'The rest' },
      {
        kind: 'table',
        caption: 'Other files',
        head: [{ text: 'File' }, { text: 'What it is' }, { text: 'Size', numbers: true }],
        rows: others.map((f) => [f.path, f.about, formatBytes(f.bytes)]),
      },
    );
  if (left.length)
    blocks.push({ kind: 'heading', level: 2, text: 'What is not in it' }, { kind: 'list', items: [...left] });
  return {
    title: facts.name,
    lines: [
      `A package of a project of Helk, made on ${facts.date}.`,
      facts.system ? `Its maps are drawn in ${systemWords(facts.system)}.` : '',
    ].filter(Boolean),
    blocks,
    attached: [],
    foot: `Made with Helk ${facts.version} on ${facts.date}`,
  };
}

/** Formats that have coordinates in longitude and latitude, whatever system the data lie in (RFC 7946; OGC 12-007r2). */
const ALWAYS_DEGREES = new Set(['geojson', 'kml', 'kmz']);

function systemTold(d: ToldDataset, format: string): string {
  if (!kindOf(d.info).placed) return 'none: it lies nowhere';
  const crs = systemOf(d.info);
  if (!crs) return 'not known';
  return ALWAYS_DEGREES.has(format) && !crs.geographic
    ? `longitude and latitude, WGS 84 (in the project ${systemWords(crs)})`
    : systemWords(crs);
}

/** Units of what it holds: of its values, and of each column that has one. */
function unitsTold(d: ToldDataset): string {
  const kind = kindOf(d.info);
  const own = kind.unit(d.info);
  const columns = kind.rows?.(d.info).columns.filter((c) => c.unit) ?? [];
  return (
    [...(own ? [displayUnit(own)] : []), ...columns.map((c) => `${c.name} ${displayUnit(c.unit!)}`)].join(', ') ||
    'none'
  );
}

function makerOf(d: ToldDataset, facts: ReportFacts): string {
  if (d.source) return `source: ${d.source.file}`;
  const run = facts.runs[d.runId ?? ''];
  const step = run?.steps.find((s) => s.id === d.step);
  return run ? `${step?.title ?? run.title} (${step?.method ?? run.method})` : '';
}

/** How everything was made, for programs: datasets with their files, and the runs between them. Plain JSON. */
export const lineageOf = (facts: ReportFacts, files: readonly PackedFile[]): Record<string, unknown> => ({
  format: 'helk-lineage',
  version: 1,
  helk: facts.version,
  project: facts.name,
  date: facts.date,
  datasets: Object.values(facts.datasets).map((d) => ({
    id: d!.id,
    name: d!.name,
    note: d!.note,
    kind: d!.kind,
    system: systemOf(d!.info)?.code ?? systemOf(d!.info)?.proj4 ?? null,
    unit: kindOf(d!.info).unit(d!.info),
    files: files.flatMap((f) =>
      'dataset' in f.of && f.of.dataset === d!.id ? [{ path: f.path, format: f.of.format }] : [],
    ),
    source: d!.source,
    run: d!.source ? null : d!.runId,
    role: d!.role,
    step: d!.step,
    replacedBy: d!.replacedBy,
    checks: d!.checks.map(({ level, code, message }) => ({ level, code, message })),
  })),
  runs: Object.values(facts.runs)
    .filter((r) => r!.method !== 'import')
    .map((r) => {
      const {
        id,
        method,
        version,
        title,
        inputs,
        params,
        seed,
        systems,
        figures,
        notes,
        steps,
        made,
        startedAt,
        endedAt,
      } = r!;
      return {
        id,
        method,
        version,
        title,
        inputs,
        params,
        seed,
        systems,
        figures,
        notes,
        steps,
        made,
        startedAt,
        endedAt,
      };
    }),
});
