/** Sizes of pages, mm, upright: ISO 216 (A), ANSI/ASME Y14.1 (letter, legal, tabloid), and slides at the size that presentations are made in. */
export const PAGES = {
  A5: [148, 210],
  A4: [210, 297],
  A3: [297, 420],
  A2: [420, 594],
  A1: [594, 841],
  A0: [841, 1189],
  Letter: [215.9, 279.4],
  Legal: [215.9, 355.6],
  Tabloid: [279.4, 431.8],
  'Slide 16:9': [190.5, 338.67],
  'Slide 4:3': [190.5, 254],
} as const satisfies Record<string, readonly [number, number]>;
export type PageName = keyof typeof PAGES;

/** Width and height of a page, mm. */
export function pageSize(name: PageName, across: boolean): { width: number; height: number } {
  const [short, long] = PAGES[name];
  return across ? { width: long, height: short } : { width: short, height: long };
}

/** What a page of a size is called, and how it lies; null for a size of its own. */
export function pageNamed(width: number, height: number): { name: PageName; across: boolean } | null {
  const [short, long] = [Math.min(width, height), Math.max(width, height)];
  for (const [name, [a, b]] of Object.entries(PAGES))
    if (Math.abs(a - short) < 0.05 && Math.abs(b - long) < 0.05)
      return { name: name as PageName, across: width > height };
  return null;
}
