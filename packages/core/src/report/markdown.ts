import { CHECK_WORDS, paragraphs, type Block, type Document } from './document';

/** What would be read as a mark of the text, spelled so that it is itself. */
const spelled = (text: string): string =>
  text
    .replace(/[\\`*_{}[\]<>#|]/g, '\\$&')
    .replace(/\s+/g, ' ')
    .trim();

/** A document as Markdown (CommonMark, with tables as GFM has them), for a readme; figures are their captions. */
export function markdownOf(doc: Document): string {
  const row = (cells: readonly string[]): string => `| ${cells.map(spelled).join(' | ')} |`;
  const write = (b: Block): string[] => {
    switch (b.kind) {
      case 'heading':
        return [`${'#'.repeat(b.level)} ${b.mark ? `${b.mark}. ` : ''}${spelled(b.text)}`];
      case 'text':
        return paragraphs(b.text).map((p) => (b.voice ? `_${spelled(p)}_` : spelled(p)));
      case 'list':
        return [b.items.map((t, i) => `${b.numbered ? `${i + 1}.` : '-'} ${spelled(t)}`).join('\n')];
      case 'facts':
        return [
          `${spelled(b.title)}:`,
          b.rows
            .map((r) => `- ${spelled(r.name)}: ${spelled(r.value)}${r.more ? ` (${spelled(r.more)})` : ''}`)
            .join('\n'),
        ];
      case 'table':
        return [
          `${spelled(b.caption)}:`,
          [
            row(b.head.map((h) => h.text)),
            `|${b.head.map((h) => (h.numbers ? ' --: ' : ' --- ')).join('|')}|`,
            ...b.rows.map(row),
          ].join('\n'),
        ];
      case 'checks':
        return [b.items.map((c) => `- **${CHECK_WORDS[c.level]}**: ${spelled(c.text)}`).join('\n')];
      case 'figure':
        return [
          `Figure: ${spelled(b.title)}${b.caution ? ` (out of date: ${spelled(b.caution)})` : ''}`,
          ...paragraphs(b.note).map(spelled),
        ];
      case 'code':
        return ['    ' + b.text.replaceAll('\n', '\n    ')];
      case 'attached':
        return [`${spelled(b.text)} ${spelled(b.name)}`];
    }
  };
  return [`# ${spelled(doc.title)}`, ...doc.lines.map(spelled), ...doc.blocks.flatMap(write), `---`, spelled(doc.foot)]
    .filter(Boolean)
    .join('\n\n')
    .concat('\n');
}
