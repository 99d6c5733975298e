import { escaped } from '../render/escaped';
import { CHECK_WORDS, paragraphs, type Block, type Document } from './document';
import { REPORT_STYLE } from './style';

const lines = (text: string): string => escaped(text).replaceAll('\n', '<br>');

export interface HtmlWith {
  /** Drawings of figures by their id, as SVG. */
  drawings: ReadonlyMap<string, string>;
  /** Rules for fonts that lie within the page. */
  fonts?: string;
}

/**
 * A document as one page of HTML that needs nothing else: drawings, letters and files lie within it, nothing of it runs, and nothing is
 * asked for elsewhere.
 */
export function htmlOf(doc: Document, w: HtmlWith): string {
  const write = (b: Block): string => {
    switch (b.kind) {
      case 'heading':
        return `<h${b.level}>${b.mark ? `<span class="mark">${escaped(b.mark)}</span>` : ''}${escaped(b.text)}</h${b.level}>`;
      case 'text':
        return paragraphs(b.text)
          .map((p) => `<p class="${b.voice ? 'voice' : b.quiet ? 'quiet' : 'plain'}">${lines(p)}</p>`)
          .join('\n');
      case 'list': {
        const tag = b.numbered ? 'ol' : 'ul';
        return `<${tag}>${b.items.map((i) => `<li>${lines(i)}</li>`).join('')}</${tag}>`;
      }
      case 'facts':
        return `<table class="facts"><caption>${escaped(b.title)}</caption><tbody>${b.rows
          .map(
            (r) =>
              `<tr><th scope="row">${escaped(r.name)}</th><td>${lines(r.value)}${r.more ? ` <span class="more">${escaped(r.more)}</span>` : ''}</td></tr>`,
          )
          .join('')}</tbody></table>`;
      case 'table':
        return `<div class="wide" role="region" tabindex="0" aria-label="${escaped(b.caption)}"><table><caption>${escaped(b.caption)}</caption><thead><tr>${b.head
          .map((h) => `<th scope="col"${h.numbers ? ' class="num"' : ''}>${escaped(h.text)}</th>`)
          .join('')}</tr></thead><tbody>${b.rows
          .map(
            (r) =>
              `<tr>${r
                .map((c, i) => {
                  const side = b.head[i]?.numbers ? ' class="num"' : '';
                  return i ? `<td${side}>${lines(c)}</td>` : `<th scope="row"${side}>${lines(c)}</th>`;
                })
                .join('')}</tr>`,
          )
          .join('')}</tbody></table></div>`;
      case 'checks':
        return `<ul class="checks">${b.items
          .map((c) => `<li class="${c.level}"><b>${CHECK_WORDS[c.level]}.</b> ${lines(c.text)}</li>`)
          .join('')}</ul>`;
      case 'figure': {
        const svg = b.drawing === null ? undefined : w.drawings.get(b.drawing);
        const caution = b.caution ? `<p class="caution"><b>Out of date.</b> ${escaped(b.caution)}</p>` : '';
        const note = paragraphs(b.note)
          .map((p) => `<p>${lines(p)}</p>`)
          .join('');
        return `<figure>${svg ?? '<p class="quiet">No picture of it was kept.</p>'}<figcaption><b>${escaped(b.title)}</b>${note}${caution}</figcaption></figure>`;
      }
      case 'code':
        return `<pre tabindex="0"><code>${escaped(b.text)}</code></pre>`;
      case 'attached': {
        const a = doc.attached.find((x) => x.name === b.name);
        if (!a) return '';
        const address = `data:${a.type};charset=utf-8,${encodeURIComponent(a.text)}`;
        return `<p class="plain">${escaped(b.text)} <a download="${escaped(a.name)}" href="${escaped(address)}">${escaped(a.name)}</a></p>`;
      }
    }
  };
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="generator" content="${escaped(doc.foot)}">
<title>${escaped(doc.title)}</title>
<style>${w.fonts ?? ''}${REPORT_STYLE}</style>
</head>
<body>
<main>
<header><h1>${escaped(doc.title)}</h1>${doc.lines.map((l) => `<p>${escaped(l)}</p>`).join('')}</header>
${sections(doc.blocks, write)}
</main>
<footer>${escaped(doc.foot)}</footer>
</body>
</html>
`;
}

/** Blocks in sections by the headings of the second level, so that a part can be gone to. */
function sections(blocks: readonly Block[], write: (b: Block) => string): string {
  const out: string[] = [];
  let open = false;
  for (const b of blocks) {
    if (b.kind === 'heading' && b.level === 2) {
      if (open) out.push('</section>');
      out.push(`<section aria-label="${escaped(b.text)}">`);
      open = true;
    }
    out.push(write(b));
  }
  if (open) out.push('</section>');
  return out.join('\n');
}
