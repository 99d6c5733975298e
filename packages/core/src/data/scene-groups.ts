import { BAND_ROLES, roleOf } from './band-roles';
import { sameCrs } from './crs-record';
import { wordsIn } from './names';
import { gridExtent, type RasterInfo } from './raster';

/** Files of one band that belong together, in the order of their bands. */
export interface SceneGroup {
  /** What their names have in common. */
  name: string;
  ids: string[];
  /** What each band is called in its file's name. */
  bands: string[];
}

interface Single {
  id: string;
  name: string;
  info: RasterInfo;
}

/** What tells one band's file from another's in a name: `B4`, `band8a`, `04`, or the part of the spectrum. */
const NUMBERED = /^(?:b|bd|band|ch|channel)?0*(\d{1,2})([a-z]?)$/i;
/** Cells of another size have files of their own names: `10m`. */
const SIZE = /^\d{1,4}m$/i;

const isBandWord = (t: string): boolean => NUMBERED.test(t) || roleOf({ name: t }) !== null;

/** Number to order by: wavelength where the role is known of all, else the number in the name. */
const numberIn = (t: string): number => {
  const m = NUMBERED.exec(t);
  return m ? Number(m[1]) + (m[2] ? 0.5 : 0) : NaN;
};

/** The place in which the names of a group differ, every other being the same or a size; null where they are not of one scene. */
function varying(all: string[][]): number | null {
  const first = all[0]!;
  if (all.some((t) => t.length !== first.length)) return null;
  const differ = first.flatMap((_, k) => (all.every((t) => t[k] === first[k]) ? [] : [k]));
  const words = differ.filter((k) => !all.every((t) => SIZE.test(t[k]!)));
  const [k] = words;
  if (words.length !== 1 || k === undefined) return null;
  const own = all.map((t) => t[k]!.toLowerCase());
  return new Set(own).size === own.length && own.every(isBandWord) ? k : null;
}

/** On the same land, whatever the size of their cells. */
function together(a: RasterInfo, b: RasterInfo): boolean {
  if (!sameCrs(a.grid.crs, b.grid.crs)) return false;
  const [p, q] = [gridExtent(a.grid), gridExtent(b.grid)];
  const most = Math.max(a.grid.dx, b.grid.dx, a.grid.dy, b.grid.dy);
  return p.every((v, k) => Math.abs(v - q[k]!) <= most);
}

/**
 * Which of some rasters are the bands of one scene in files of their own: one measure each, on the same land, with names that differ only in
 * the word for the band. Two at least.
 *
 * @param all that came together
 */
export function sceneGroups(all: readonly Single[]): SceneGroup[] {
  const single = all.filter((d) => d.info.bands.length === 1 && d.info.bands[0]!.kind === 'measure');
  const groups = new Map<string, Single[]>();
  for (const d of single) {
    // Names that are alike but for words of bands and sizes stand together.
    const key = wordsIn(d.name)
      .map((t) => (SIZE.test(t) ? '#m' : isBandWord(t) ? '#' : t.toLowerCase()))
      .join(' ');
    const list = [...groups].find(([k, l]) => k.startsWith(`${key}|`) && together(l[0]!.info, d.info))?.[1];
    if (list) list.push(d);
    else groups.set(`${key}|${groups.size}`, [d]);
  }
  return [...groups.values()].flatMap((list): SceneGroup[] => {
    if (list.length < 2) return [];
    const names = list.map((d) => wordsIn(d.name));
    const k = varying(names);
    if (k === null) return [];
    const word = new Map(list.map((d, i) => [d.id, names[i]![k]!]));
    const wave = (d: Single): number => {
      const role = roleOf({ ...d.info.bands[0]!, name: word.get(d.id)! });
      return d.info.bands[0]!.wavelength ?? (role && BAND_ROLES[role] ? BAND_ROLES[role][0] : NaN);
    };
    const by = list.every((d) => wave(d) === wave(d)) ? wave : (d: Single) => numberIn(word.get(d.id)!);
    const rest = names[0]!.filter((t, i) => i !== k && names.every((n) => n[i] === t));
    const sorted = [...list].sort((a, b) => by(a) - by(b) || (a.name < b.name ? -1 : 1));
    return [
      {
        name: rest.join(' ') || 'scene',
        ids: sorted.map((d) => d.id),
        bands: sorted.map((d) => word.get(d.id)!),
      },
    ];
  });
}
