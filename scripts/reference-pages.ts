import * as z from 'zod';
import { describeMethod, displayUnit, methods, type MethodDescription } from '@helk/core';
import { RecipeShape } from '@helk/core/recipe/shape';

/** The pages of the method reference by file name. */
export function referencePages(): Record<string, string> {
  const all = methods().map(describeMethod);
  const families = [...new Set(all.map((m) => m.family))];
  const pages: Record<string, string> = {};
  const index = ['# Methods', '', 'Made from the definitions by `npm run docs`.', ''];
  for (const f of families) {
    index.push(`## [${f}](${f}.md)`, '', '| method | question |', '|---|---|');
    for (const m of all.filter((x) => x.family === f))
      index.push(`| [${m.id}](${f}.md#${m.id.replace('.', '').toLowerCase()}) | ${m.question} |`);
    index.push('');
    pages[`${f}.md`] = [`# ${f}`, '', ...all.filter((m) => m.family === f).flatMap(page)].join('\n');
  }
  pages['recipe.md'] = [pages['recipe.md'] ?? '', ...recipeFile()].join('\n');
  index.push('[The recipe file](recipe.md#the-recipe-file): its schema.', '');
  pages['README.md'] = index.join('\n');
  return pages;
}

/** What a recipe file looks like, as its schema says. */
function recipeFile(): string[] {
  const schema = z.toJSONSchema(RecipeShape, { io: 'input' });
  return [
    '## The recipe file',
    '',
    'JSON; what is not in the schema is refused. Names are letters, digits and underscores, a letter first. A step takes what it needs from an input of the recipe (`NAME`), or from what a step before it made (`STEP.ROLE`); `#2` behind it is the second band.',
    '',
    '```json',
    JSON.stringify(schema, null, 2),
    '```',
    '',
  ];
}

function page(m: MethodDescription): string[] {
  const out = [`## ${m.id}`, '', `**${m.title}**: ${m.question}`, '', m.about, ''];
  out.push('| in | kind | |', '|---|---|---|');
  for (const [role, i] of Object.entries(m.inputs))
    out.push(
      `| ${role} | ${i.kind}${i.many ? ` (${Math.max(1, i.least)} or more)` : i.least === 0 ? ' (may be left out)' : ''} | ${i.label} |`,
    );
  if (!Object.keys(m.inputs).length) out.push('| NAME | as there | What the recipe takes |');
  out.push('');
  if (Object.keys(m.params).length) {
    out.push('| parameter | type | default | |', '|---|---|---|---|');
    for (const [name, p] of Object.entries(m.params)) {
      const type = p.choices
        ? p.choices.map((c) => c.value).join(', ')
        : `${p.type}${p.unit && p.unit !== 'crs' ? ` in ${displayUnit(p.unit)}` : ''}`;
      const def = p.default === undefined ? (p.optional ? 'none' : 'required or suggested') : String(p.default);
      out.push(`| ${name} | ${type} | ${def} | ${p.label}${p.help ? `. ${p.help}` : ''} |`);
    }
    out.push('');
  }
  out.push('| out | kind | |', '|---|---|---|');
  for (const [role, o] of Object.entries(m.outputs)) out.push(`| ${role} | ${o.kind} | ${o.label} |`);
  out.push('');
  const figures = Object.entries(m.figures);
  if (figures.length) {
    const unit = (u?: string): string =>
      u === 'band'
        ? ', in the unit of the input'
        : u?.startsWith('param:')
          ? `, in ${u.slice(6)}`
          : u === 'result'
            ? ', in the unit of the result'
            : u
              ? `, ${displayUnit(u)}`
              : '';
    out.push(
      'Figures: ' + figures.map(([k, f]) => `\`${k}\` (${f.label.toLowerCase()}${unit(f.unit)})`).join(', ') + '.',
      '',
    );
  }
  out.push('Sources: ' + m.sources.join('; ') + '.', '');
  return out;
}
