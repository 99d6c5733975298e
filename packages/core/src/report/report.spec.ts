import { setupNode } from '@helk/node';
import { describeMethod } from '../method/describe';
import { methods } from '../method/registry';
import { historyOf } from '../recipe/history';
import { lift } from '../recipe/lift';
import { parseRecipe } from '../recipe/shape';
import { recipeMethod } from '../recipe/method';
import { valley, WATERSHED } from '../recipe/recipe-fixture';
import { Survey } from '../recipe/survey';
import { standOf, type Finding } from '../sheet/finding';
import { contentsOf, RECIPE_FILE } from './contents';
import type { Block, Document } from './document';
import { factsFrom, type ToldDataset, type ToldRun } from './facts';
import { htmlOf } from './html';
import { markdownOf } from './markdown';
import { reportFrom, type Report } from './shape';

beforeAll(setupNode);

const known = new Map(methods().map((m) => [m.id, m]));

/** Slope of the filled mosaic of two tiles, told. */
async function slopeReport(
  over: Partial<Report> = {},
  change: (d: Record<string, ToldDataset>) => void = () => undefined,
) {
  const survey = new Survey();
  const tiles = valley().tiles.map((t, i) => survey.take(`tile ${'ab'[i]!}`, t));
  const [mosaic] = await survey.run('raster.mosaic', { tiles });
  const [filled] = await survey.run('terrain.fill', { elevation: [mosaic!] });
  const [slope] = await survey.run('terrain.slope', { elevation: [filled!] }, { unit: 'percent' });
  const datasets = Object.fromEntries(
    Object.entries(survey.datasets).map(([id, d]): [string, ToldDataset] => [
      id,
      {
        ...d,
        replacedBy: null,
        source: d.runId ? null : { file: `${d.name}.tif`, format: 'geotiff', bytes: 4800, sha256: 'ab'.repeat(32) },
        checks: d.runId ? [] : [{ level: 'look', code: 'holes', message: 'It has <3> holes.' }],
        createdAt: '2026-03-01T08:00:00Z',
      },
    ]),
  );
  change(datasets);
  const runs = Object.values(survey.runs).map((r): ToldRun => ({
    ...r,
    systems: {},
    notes: [{ level: 'info', code: 'n', message: `Said of ${r.title}.` }],
    startedAt: '2026-03-01T08:00:00Z',
    endedAt: '2026-03-01T08:00:12Z',
  }));
  const finding: Finding = {
    id: 'seen01',
    position: 1,
    createdAt: '2026-03-01T09:00:00Z',
    title: 'Where it is steep',
    note: 'North of the stream.',
    kind: 'panes',
    seen: {},
    rests: [{ dataset: slope!, name: 'Slope', stand: standOf(survey.datasets[slope!]!.info) }],
    figures: [],
    drawing: 'pic1',
  };
  const past = { datasets: survey.datasets, runs: survey.runs };
  const facts = factsFrom({
    name: 'Valley & ridge',
    system: null,
    datasets: Object.values(datasets),
    runs,
    findings: [finding],
    method: (id) => describeMethod(known.get(id)!),
    version: '9.8.7',
    date: '2026-03-02',
    recipe: lift(historyOf([slope!], past), past),
  });
  const report = reportFrom({
    format: 'helk-report',
    version: 1,
    title: 'Steep ground <b>',
    by: 'A. Surveyor',
    asked: '',
    answer: 'Little of it.\n\nLess than was thought.',
    results: [slope!],
    findings: ['seen01'],
    ...over,
  });
  return { doc: contentsOf(report, facts), report, facts };
}

const heads = (doc: Document, level: 2 | 3): string[] =>
  doc.blocks.flatMap((b) => (b.kind === 'heading' && b.level === level ? [b.text] : []));
const of = <K extends Block['kind']>(doc: Document, kind: K) =>
  doc.blocks.filter((b): b is Extract<Block, { kind: K }> => b.kind === kind);

describe('a report', () => {
  it('follows the work: asked, found, went in, done step by step, what it goes back to, again', async () => {
    const { doc } = await slopeReport();
    expect(heads(doc, 2)).toEqual([
      'What was asked',
      'What was found',
      'What went in',
      'What was done',
      'What the methods go back to',
      'To do it again',
    ]);
    expect(heads(doc, 3)).toEqual(['tile a', 'tile b', 'Mosaic', 'Fill depressions', 'Slope']);
    // The question of the method stands where nobody asked in words.
    expect(of(doc, 'text')[0]).toEqual(
      jasmine.objectContaining({ text: known.get('terrain.slope')!.question, voice: true }),
    );
  });

  it('tells each step with what it read, the settings that say something, its figures with units, and what was noted', async () => {
    const { doc } = await slopeReport();
    const slope = of(doc, 'facts').find((f) => f.title === 'What went into step 3, and its settings')!;
    expect(slope.rows.map((r) => [r.name, r.value])).toContain(['Elevation', 'Filled (step 2)']);
    expect(slope.rows.map((r) => r.value).join(' ')).toContain('percent');
    const figures = of(doc, 'facts').filter((f) => f.title.startsWith('Figures of step 3'));
    expect(figures.length).toBe(1);
    expect(figures[0]!.rows.every((r) => r.value !== '' && r.value !== 'NaN')).toBeTrue();
    expect(of(doc, 'checks').flatMap((c) => c.items.map((i) => i.text))).toContain('Said of Slope.');
    const all = (await slopeReport({ settings: 'all' })).doc;
    const rows = (d: Document): number => of(d, 'facts').reduce((n, f) => n + f.rows.length, 0);
    expect(rows(all)).toBeGreaterThan(rows(doc));
  });

  it('carries the recipe, which reads back as the procedure', async () => {
    const { doc } = await slopeReport();
    const recipe = parseRecipe(doc.attached.find((a) => a.name === RECIPE_FILE)!.text);
    expect(recipe.steps.map((s) => s.method)).toEqual(['raster.mosaic', 'terrain.fill', 'terrain.slope']);
    expect(of(doc, 'code')[0]!.text).toContain('./helk recipe run recipe.json --in tiles=FILE');
  });

  it('says what is out of date, and what has been removed', async () => {
    const { doc } = await slopeReport({}, (d) => {
      const [first, second] = Object.keys(d);
      d[first!]!.replacedBy = second!;
    });
    const cautions = of(doc, 'checks').flatMap((c) => c.items.map((i) => i.text));
    expect(cautions.some((t) => t.startsWith('“Slope”: Out of date'))).toBeTrue();
    expect(of(doc, 'figure')[0]!.caution).toBe('“Slope” was made from what is not so any more.');
    const gone = (await slopeReport({}, (d) => delete d[Object.keys(d)[1]!])).doc;
    expect(of(gone, 'text').map((t) => t.text)).toContain('Removed from the project since.');
  });

  it('tells many sources in a table, and only checks that ask for a look', async () => {
    const survey = new Survey();
    const { tiles } = valley();
    const ids = [0, 1, 2, 3, 4].map((i) => survey.take(`tile ${i}`, tiles[i % 2]!));
    const facts = factsFrom({
      name: 'p',
      system: null,
      datasets: Object.values(survey.datasets).map((d) => ({
        ...d,
        replacedBy: null,
        source: null,
        checks: [],
        createdAt: '',
      })),
      runs: [],
      findings: [],
      method: () => undefined,
      version: '1',
      date: '2026-03-02',
      recipe: 'a source was not made.',
    });
    const report = reportFrom({ format: 'helk-report', version: 1, title: 'Tiles', results: ids });
    const table = of(contentsOf(report, facts), 'table').find((t) => t.caption === '5 sources')!;
    expect(table.rows.length).toBe(5);
  });

  it('tells a run of a recipe step by step, with what each step found', async () => {
    const survey = new Survey();
    const { tiles, outlet } = valley();
    const ids = { tiles: tiles.map((t, i) => survey.take(`tile ${i}`, t)), outlets: [survey.take('gauge', outlet)] };
    const m = recipeMethod(WATERSHED, 'recipe:abc123', 2);
    const results = await survey.run('recipe:abc123', ids, {}, m);
    const past = { datasets: survey.datasets, runs: survey.runs };
    const facts = factsFrom({
      name: 'p',
      system: null,
      datasets: Object.values(survey.datasets).map((d) => ({
        ...d,
        replacedBy: null,
        source: null,
        checks: [],
        createdAt: '',
      })),
      runs: Object.values(survey.runs).map((r) => ({ ...r, systems: {}, notes: [], startedAt: null, endedAt: null })),
      findings: [],
      method: (id) => (known.has(id) ? describeMethod(known.get(id)!) : undefined),
      version: '1',
      date: '2026-03-02',
      recipe: lift(historyOf(results, past), past),
    });
    const report = reportFrom({ format: 'helk-report', version: 1, title: 'Watershed', results });
    const doc = contentsOf(report, facts);
    const steps = doc.blocks.flatMap((b) => (b.kind === 'heading' && b.mark ? [b.text] : []));
    expect(steps).toEqual(['Mosaic', 'Fill depressions', 'Watersheds']);
    const settings = of(doc, 'facts').find((x) => x.title.startsWith('What went into step 3'))!;
    expect(settings.rows.map((r) => r.value)).toContain('30 m');
    expect(of(doc, 'facts').filter((x) => x.title.startsWith('Figures')).length).toBe(3);
    expect(parseRecipe(doc.attached[0]!.text).steps.length).toBe(3);
  });

  it('becomes a page in which no text is markup and every table is told', async () => {
    const { doc } = await slopeReport();
    const html = htmlOf(doc, { drawings: new Map([['pic1', '<svg id="x"></svg>']]) });
    expect(html).toContain('<title>Steep ground &lt;b&gt;</title>');
    expect(html).toContain('It has &lt;3&gt; holes.');
    expect(html).toContain('<svg id="x"></svg>');
    expect(html).toContain('<p class="plain">Little of it.</p>\n<p class="plain">Less than was thought.</p>');
    expect(html.match(/<table/g)!.length).toBe(html.match(/<caption>/g)!.length);
    expect(html).not.toMatch(/<script|src=|http-equiv|@import|url\((?!data:)/);
    const link = /href="(data:application\/json[^"]+)"/.exec(html)![1]!.replaceAll('&#39;', "'");
    expect(parseRecipe(decodeURIComponent(link.slice(link.indexOf(',') + 1))).helkRecipe).toBe(1);
  });

  it('becomes plain text in which no mark of a name is read as one', async () => {
    const { doc } = await slopeReport();
    const text = markdownOf(doc);
    expect(text.startsWith('# Steep ground \\<b\\>\n\n')).toBeTrue();
    expect(text).toContain('### 3. Slope');
    expect(text).toContain('| Result | What it is | From step |\n| --- | --- | --: |');
    expect(text).toContain('- **Look here**: It has \\<3\\> holes.');
  });

  it('is refused with what is wrong', () => {
    expect(() => reportFrom({ format: 'helk-report', version: 1, title: ' ', results: [] })).toThrowError(
      /title: A title is needed/,
    );
    expect(() => reportFrom({ title: 'x' })).toThrowError(/The report cannot be used/);
  });
});
