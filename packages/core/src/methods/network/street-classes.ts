import { HelkError } from '../../errors';

/** What may go along a class of street, and how fast a car goes there, km/h; 0 for none. */
export interface StreetClass {
  car: number;
  walk: boolean;
  bicycle: boolean;
}

const street = (car: number): StreetClass => ({ car, walk: true, bicycle: true });
const way = (bicycle: boolean): StreetClass => ({ car: 0, walk: true, bicycle });

/**
 * Usual classes of streets by their usual English names, as open street data have them. Speeds are those that are driven in and between places, not
 * those that are allowed (common practice, no source).
 */
const CLASSES: Record<string, StreetClass> = {
  motorway: { car: 110, walk: false, bicycle: false },
  trunk: { car: 90, walk: false, bicycle: false },
  primary: street(70),
  secondary: street(60),
  tertiary: street(50),
  unclassified: street(50),
  local: street(40),
  residential: street(30),
  living_street: street(10),
  lane: street(30),
  service: street(15),
  track: street(15),
  cycleway: way(true),
  path: way(true),
  bridleway: way(true),
  pedestrian: way(false),
  footway: way(false),
  steps: way(false),
  stairs: way(false),
};

/** Speed of cars where neither a column nor the class says one, km/h. */
export const USUAL_SPEED = 40;

/** Streets of a class; slip roads (`primary_link`) are as the street they lead to, others as any. */
export function classOf(name: string | null, own: ReadonlyMap<string, number>): StreetClass & { known: boolean } {
  const key = name?.trim().toLowerCase() ?? '';
  const base = key.replace(/_link$/, '');
  const found = Object.hasOwn(CLASSES, base) ? CLASSES[base] : undefined;
  const given = own.get(key) ?? own.get(base);
  return {
    ...(found ?? street(USUAL_SPEED)),
    ...(given === undefined ? {} : { car: given }),
    known: !!found || given !== undefined,
  };
}

/**
 * Speeds by class as they are written: `primary 70; lane 30; path none`, km/h.
 *
 * @throws HelkError `method.parameter`
 */
export function readClassSpeeds(text: string): Map<string, number> {
  const out = new Map<string, number>();
  for (const part of text.split(/[;\n]/)) {
    const words = part.trim().replace(/\s*(km\/h|kmh)$/i, '');
    if (!words) continue;
    const m = /^(.*\S)[\s=:]+(\d+(?:[.,]\d+)?|none)$/i.exec(words);
    const speed = m?.[2]!.toLowerCase() === 'none' ? 0 : Number(m?.[2]?.replace(',', '.') ?? NaN);
    if (!m || !(speed >= 0 && speed <= 300))
      throw new HelkError(
        'method.parameter',
        `classSpeeds: "${part.trim()}" is not of the form primary 70; lane 30; path none (km/h, at most 300).`,
        'classSpeeds',
      );
    out.set(m[1]!.replace(/[\s=:]+$/, '').toLowerCase(), speed);
  }
  return out;
}
