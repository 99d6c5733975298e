import type { BandInfo } from './raster';

/** Parts of the spectrum by their usual names, each with the wavelengths it stands for, nm (common practice, no source). */
export const BAND_ROLES = {
  coastal: [400, 450],
  blue: [450, 515],
  green: [515, 600],
  red: [600, 690],
  rededge: [690, 760],
  nir: [760, 1000],
  swir1: [1500, 1800],
  swir2: [2050, 2400],
  thermal: [8000, 14000],
  pan: null,
} as const;

export type BandRole = keyof typeof BAND_ROLES;

export const ROLE_NAMES = Object.keys(BAND_ROLES) as BandRole[];

const isRole = (s: string): s is BandRole => Object.hasOwn(BAND_ROLES, s);

/** Words in names of bands; the more particular ones first. */
const WORDS: [RegExp, BandRole][] = [
  [/coastal|aerosol|deep ?blue|ultra ?blue/, 'coastal'],
  [/red ?edge/, 'rededge'],
  [/(swir|shortwave infrared|short wave infrared|mir) ?(2|ii)\b/, 'swir2'],
  [/(swir|shortwave infrared|short wave infrared|mir) ?(1|i)?\b/, 'swir1'],
  [/nir|near ?infra ?red/, 'nir'],
  [/thermal|\btir/, 'thermal'],
  [/\bpan(chromatic)?\b/, 'pan'],
  [/\bblue\b/, 'blue'],
  [/\bgreen\b/, 'green'],
  [/\bred\b/, 'red'],
];

/** The role that a name speaks of, `scene_swir-1` or `band 3 (red)`; null where it speaks of none. */
export function roleInName(name: string): BandRole | null {
  const plain = name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, ' ')
    .trim();
  return WORDS.find(([word]) => word.test(plain))?.[1] ?? null;
}

/** The role of a wavelength; null between those that have names. @param nm nanometres */
export function roleOfWavelength(nm: number): BandRole | null {
  return ROLE_NAMES.find((r) => BAND_ROLES[r] && nm >= BAND_ROLES[r][0] && nm < BAND_ROLES[r][1]) ?? null;
}

/** What a band is said to be; else what its wavelength or its name says. */
export function roleOf(band: Pick<BandInfo, 'name' | 'role' | 'wavelength'>): BandRole | null {
  if (band.role && isRole(band.role)) return band.role;
  return (band.wavelength ? roleOfWavelength(band.wavelength) : null) ?? roleInName(band.name);
}

/** A role by its name, whatever the letters' size and what stands between them: `Red edge`. */
export function readRole(text: string): BandRole | null {
  const plain = text.toLowerCase().replace(/[^a-z0-9]/g, '');
  return isRole(plain) ? plain : null;
}
