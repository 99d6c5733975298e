import type { ClassEntry } from '../data/raster';
import { MEANT } from './meanings';
import { CATEGORY_COLOURS } from './ramps';

/** Words of land cover and the colours people expect of them, most particular first (common practice, no source). */
const NAMED: [RegExp, string][] = [
  [/\b(glacier|snow|ice)\b/i, '#dfeaf0'],
  [/\b(reed|swamp|marsh|wetland|fen)\w*/i, '#7fa08c'],
  [/\b(water|lake|sea|river|stream|pond|reservoir)\w*/i, '#4f88b3'],
  [/\b(moor|heath|peat|bog)\w*/i, '#8d6f8f'],
  [/\b(conifer|spruce|pine|needle)\w*/i, '#2f5d46'],
  [/\b(broadleav\w*|deciduous|birch|oak|beech)\b/i, '#6e9a50'],
  [/\b(wood|forest|tree)\w*/i, '#43754a'],
  [/\b(scrub|shrub|bush)\w*/i, '#8ba05a'],
  [/\b(meadow|grass|pasture|turf)\w*/i, '#b5c77a'],
  [/\b(arable|crop|field|plough|farm)\w*/i, '#e0bf69'],
  [/\b(orchard|vine|garden)\w*/i, '#c79a5a'],
  [/\b(built|urban|town|settle|house|building|village)\w*/i, '#b5573f'],
  [/\b(road|rail|traffic)\w*/i, '#6b6460'],
  [/\b(sand|beach|dune|shore)\w*/i, '#ecdcae'],
  [/\b(rock|bare|scree|stone|quarry)\w*/i, '#a39b8f'],
  [/\bshadow\w*/i, '#5f656b'],
  [/\bcloud\w*/i, '#c3c9ce'],
];

/** A colour that a land cover of that name is usually drawn in, or null for any other word. */
export function namedColour(label: string): string | null {
  return NAMED.find(([word]) => word.test(label))?.[1] ?? null;
}

/** A colour for every label: its own where one is named, otherwise the next readable one that is still free. */
export function categoryColours(labels: readonly string[]): string[] {
  // Classes that mean something keep their colours, so long as most of them do.
  const meant = labels.filter((l) => Object.hasOwn(MEANT, l)).length * 2 > labels.length;
  const out = labels.map((l) => (meant ? (MEANT[l]?.colour ?? null) : namedColour(l)));
  const named = out.filter(Boolean).length;
  // A single hit among many words is chance, not land cover.
  if (named < 2 && labels.length > 2) out.fill(null);
  const used = new Set(out);
  let next = 0;
  return out.map((c) => {
    if (c) return c;
    while (next < CATEGORY_COLOURS.length && used.has(CATEGORY_COLOURS[next]!)) next++;
    return CATEGORY_COLOURS[next++ % CATEGORY_COLOURS.length]!;
  });
}

/** The classes of a band with a colour for each; without a class table, each value that occurs is one. */
export function colouredClasses(
  classes: readonly ClassEntry[] | undefined,
  values: readonly number[] = [],
): { value: number; label: string; colour: string }[] {
  const all = classes?.length ? [...classes] : values.map((value) => ({ value, label: String(value), colour: null }));
  for (const value of classes?.length ? values : [])
    if (!all.some((c) => c.value === value)) all.push({ value, label: String(value), colour: null });
  const colours = categoryColours(all.map((c) => c.label));
  return all.map((c, i) => ({ value: c.value, label: c.label || String(c.value), colour: c.colour ?? colours[i]! }));
}
