/** How colours are seen, and whether they can be told apart. */

export type Rgb = readonly [r: number, g: number, b: number];

/**
 * What eyes without one kind of cones see: Machado, Oliveira and Fernandes 2009 (doi:10.1109/TVCG.2009.113), table 1, severity 1.0, in
 * linear RGB, row by row.
 */
export const CONES = {
  protan: [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
  deutan: [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.01182, 0.04294, 0.968881],
  tritan: [1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.3039],
} as const;
export type Eyes = keyof typeof CONES | 'all' | 'grey';

export const EYES: readonly { id: Eyes; label: string }[] = [
  { id: 'all', label: 'as it is' },
  { id: 'protan', label: 'without red cones' },
  { id: 'deutan', label: 'without green cones' },
  { id: 'tritan', label: 'without blue cones' },
  { id: 'grey', label: 'in grey' },
];

/** Below this two colours are easily taken for each other, as a distance in OKLab (common practice, no source). */
export const APART = 0.04;

/** Channels of `#1d282c`, 0 to 255. */
export const channels = (hex: string): Rgb => [
  parseInt(hex.slice(1, 3), 16),
  parseInt(hex.slice(3, 5), 16),
  parseInt(hex.slice(5, 7), 16),
];
export const hexOf = (rgb: Rgb): string =>
  `#${rgb
    .map((v) =>
      Math.round(Math.min(255, Math.max(0, v)))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;

/** A channel of sRGB as light, 0 to 1, and back (IEC 61966-2-1). */
export const light = (v: number): number => (v <= 10.31475 ? v / 3294.6 : ((v / 255 + 0.055) / 1.055) ** 2.4);
export const channelOf = (l: number): number =>
  255 * (l <= 0.0031308 ? 12.92 * Math.max(0, l) : 1.055 * Math.min(1, l) ** (1 / 2.4) - 0.055);

/** Relative luminance, 0 to 1 (WCAG 2.2). */
export const luminance = ([r, g, b]: Rgb): number => 0.2126 * light(r) + 0.7152 * light(g) + 0.0722 * light(b);

/** Contrast of two colours, 1 to 21 (WCAG 2.2). */
export function contrast(a: Rgb, b: Rgb): number {
  const [x, y] = [luminance(a), luminance(b)];
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
}

/** A colour as some eyes see it; for grey what is as light (luma of Rec. 709). */
export function seenBy(eyes: Eyes, rgb: Rgb): Rgb {
  if (eyes === 'all') return rgb;
  if (eyes === 'grey') {
    const v = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
    return [v, v, v];
  }
  const m = CONES[eyes];
  const [r, g, b] = rgb.map(light) as [number, number, number];
  return [0, 3, 6].map((k) => channelOf(m[k]! * r + m[k + 1]! * g + m[k + 2]! * b)) as unknown as Rgb;
}

/** A colour in OKLab: lightness, green to red, blue to yellow (Ottosson 2020, "A perceptual color space for image processing"). */
export function oklab(rgb: Rgb): [number, number, number] {
  const [r, g, b] = rgb.map(light) as [number, number, number];
  const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ];
}

/** How far apart two colours are seen: their distance in OKLab. */
export function apart(a: Rgb, b: Rgb): number {
  const [x, y] = [oklab(a), oklab(b)];
  return Math.hypot(x[0] - y[0], x[1] - y[1], x[2] - y[2]);
}

/** The two of some colours that are nearest to each other for some eyes; null for fewer than two. O(n²) */
export function nearest(colours: readonly string[], eyes: Eyes): { a: number; b: number; apart: number } | null {
  const seen = colours.map((c) => seenBy(eyes, channels(c)));
  let best: { a: number; b: number; apart: number } | null = null;
  for (let a = 0; a < seen.length; a++)
    for (let b = a + 1; b < seen.length; b++) {
      const d = apart(seen[a]!, seen[b]!);
      if (!best || d < best.apart) best = { a, b, apart: d };
    }
  return best;
}

/** Lightness of the lightest and darkest of several greys: short of paper and of ink. */
const GREYS = { light: 0.94, dark: 0.32 };

/**
 * Greys for classes that a printer without colours has to tell apart: even steps of lightness (OKLab), in the order in which the
 * colours are light, so that a sheet stays as it was read.
 */
export function greySteps(colours: readonly string[]): Map<string, string> {
  const order = [...new Set(colours)].sort((a, b) => oklab(channels(b))[0] - oklab(channels(a))[0]);
  const step = order.length > 1 ? (GREYS.light - GREYS.dark) / (order.length - 1) : 0;
  return new Map(
    order.map((c, i) => {
      const l = order.length > 1 ? GREYS.light - i * step : oklab(channels(c))[0];
      // Of a grey, OKLab's lightness is the cube root of its light.
      const v = channelOf(l ** 3);
      return [c, hexOf([v, v, v])];
    }),
  );
}
