import { channels } from './seen';

/** Colour ramps by role. Sequential ones rise evenly in lightness; all keep their order for colour-blind readers. */
export interface Ramp {
  id: string;
  title: string;
  kind: 'sequential' | 'diverging' | 'cyclic';
  stops: string[];
}

export const RAMPS: readonly Ramp[] = [
  // Cividis (Nuñez, Anderton and Renslow 2018, doi:10.1371/journal.pone.0199239) and viridis (van der Walt and Smith 2015), stops from memory.
  {
    id: 'cividis',
    title: 'Dusk to straw',
    kind: 'sequential',
    stops: [
      '#00224e',
      '#123570',
      '#3b496c',
      '#575d6d',
      '#707173',
      '#8a8678',
      '#a59c74',
      '#c3b369',
      '#e1cc55',
      '#fee838',
    ],
  },
  {
    id: 'viridis',
    title: 'Heather to lichen',
    kind: 'sequential',
    stops: [
      '#440154',
      '#482475',
      '#414487',
      '#355f8d',
      '#2a788e',
      '#21918c',
      '#22a884',
      '#44bf70',
      '#7ad151',
      '#bddf26',
      '#fde725',
    ],
  },
  {
    id: 'ember',
    title: 'Straw to ember',
    kind: 'sequential',
    stops: ['#fbf4df', '#f5d79d', '#e9ab66', '#d27b4b', '#a94d43', '#73293f', '#361736'],
  },
  {
    id: 'tide',
    title: 'Foam to deep',
    kind: 'sequential',
    stops: ['#eff5f1', '#c5dfdc', '#8fc0c8', '#569bb0', '#2d7295', '#174a74', '#0b2548'],
  },
  {
    id: 'certainty',
    title: 'Deep water to paper',
    kind: 'sequential',
    stops: ['#0f3b44', '#2f7f86', '#8cc0bf', '#ebe4d6'],
  },
  { id: 'slate', title: 'Ink to paper', kind: 'sequential', stops: ['#14181a', '#565c5f', '#9aa0a2', '#f4f2ec'] },
  {
    id: 'scales',
    title: 'Teal, paper, rust',
    kind: 'diverging',
    stops: ['#064b5a', '#3d8593', '#9bc6ca', '#f4f0e6', '#e4b48c', '#bd6f3c', '#743410'],
  },
  {
    id: 'compass',
    title: 'Round the compass',
    kind: 'cyclic',
    stops: ['#2f4a8a', '#8474b4', '#d9a9a6', '#c9913c', '#7d8c3b', '#2f7f86', '#2f4a8a'],
  },
];

const OWN = /^own:(sequential|diverging|cyclic|classes):(#[0-9a-f]{6}(?:,#[0-9a-f]{6})+)$/;

/** A ramp by its id, or of colours that somebody has put together, which are their own id. */
export function rampOf(id: string): Ramp {
  const own = OWN.exec(id);
  if (!own) return RAMPS.find((r) => r.id === id) ?? RAMPS[0]!;
  const kind = own[1] === 'diverging' || own[1] === 'cyclic' ? own[1] : 'sequential';
  return { id, title: 'Own colours', kind, stops: own[2]!.split(',') };
}

/** Colours for a readable set of categories, told apart by colour-blind readers (at most ten). */
export const CATEGORY_COLOURS = [
  '#0f5c6e',
  '#d99a2b',
  '#7a4f9a',
  '#6f9b3c',
  '#b6483a',
  '#4f9fc4',
  '#8a6a4a',
  '#c77fae',
  '#3f4a52',
  '#c9c04a',
];

/** A ramp as 256 colours, r, g, b, one after the other; mixed in linear light so that steps stay even. */
export function rampTable(id: string, reversed: boolean): Uint8ClampedArray {
  const stops = rampOf(id).stops.map(channels);
  if (reversed) stops.reverse();
  const out = new Uint8ClampedArray(768);
  const lin = (c: number): number => (c / 255) ** 2.2;
  const back = (c: number): number => 255 * c ** (1 / 2.2);
  for (let i = 0; i < 256; i++) {
    const at = (i / 255) * (stops.length - 1);
    const k = Math.min(stops.length - 2, Math.floor(at));
    const t = at - k;
    for (let c = 0; c < 3; c++) out[i * 3 + c] = back(lin(stops[k]![c]!) * (1 - t) + lin(stops[k + 1]![c]!) * t);
  }
  return out;
}
