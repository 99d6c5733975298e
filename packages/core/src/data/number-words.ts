import { displayUnit } from './quantity';

/** A number with as many digits as the range it stands in calls for, and narrow spaces between thousands. */
export function formatNumber(v: number | null | undefined, range = Math.abs(v ?? 0)): string {
  if (v === null || v === undefined || v !== v) return '–';
  if (!Number.isFinite(v)) return v > 0 ? '∞' : '−∞';
  if (v === 0) return '0';
  const size = Math.max(Math.abs(range), 1e-12);
  if (v !== 0 && (Math.abs(v) >= 1e9 || (Math.abs(v) < 1e-4 && size < 1e-3)))
    return v.toExponential(2).replace('-', '−').replace('e+', ' × 10^').replace('e−', ' × 10^−');
  const digits =
    Number.isInteger(v) && size >= 1
      ? 0
      : size >= 1000
        ? 0
        : size >= 100
          ? 1
          : size >= 1
            ? 2
            : Math.min(8, 2 - Math.floor(Math.log10(size)));
  const [whole, part] = Math.abs(v).toFixed(digits).split('.');
  const grouped = whole!.replace(/\B(?=(\d{3})+$)/g, '\u202f');
  const text = part ? `${grouped}.${part}` : grouped;
  return v < 0 && Number(Math.abs(v).toFixed(digits)) !== 0 ? `−${text}` : text;
}

/** Seconds as a person would say them. */
export function formatDuration(seconds: number): string {
  if (!(seconds >= 0)) return '';
  if (seconds < 1) return 'under 1 s';
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

export function formatBytes(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  const units = ['kB', 'MB', 'GB', 'TB'];
  let v = bytes / 1000;
  let k = 0;
  while (v >= 1000 && k < units.length - 1) {
    v /= 1000;
    k++;
  }
  return `${v < 10 ? v.toFixed(1) : v.toFixed(0)} ${units[k]}`;
}

/** A length in metres in the unit a person would take: 850 m, 4.2 km. */
export function formatLength(metres: number): string {
  return metres >= 1000
    ? `${formatNumber(metres / 1000, metres / 1000 >= 10 ? 1000 : 10)} km`
    : `${formatNumber(metres)} m`;
}

/** An area in m² in the unit a person would take: 850 m², 4.2 ha, 12 km². */
export function formatArea(m2: number): string {
  const a = Math.abs(m2);
  if (a < 1e4) return `${formatNumber(m2, Math.max(1, a))} m²`;
  return a < 1e7 ? `${formatNumber(m2 / 1e4, 10)} ha` : `${formatNumber(m2 / 1e6, a < 1e9 ? 10 : 1000)} km²`;
}

const SIDES = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west'];
/** A direction in words; degrees clockwise from north. */
export const sideOf = (degrees: number): string => SIDES[Math.round((((degrees % 360) + 360) % 360) / 45) % 8]!;

/**
 * A share in hundredths, with so many decimals that what is neither nothing nor all is not told as such: 0.99996 is 99.996 %, not 100 %.
 *
 * @param digits decimals at least
 */
export function percentOf(share: number, digits = 1): string {
  if (share !== share) return '–';
  const p = 100 * share;
  if (!(p > 0 && p < 100)) return formatNumber(p, digits > 1 ? 10 : 100);
  let d = digits;
  while (d < 8 && [0, 100].includes(Number(p.toFixed(d)))) d++;
  // One digit more, so that it is known to which side of it.
  return d > digits ? p.toFixed(Math.min(8, d + 1)).replace(/0$/, '') : p.toFixed(d);
}

/** Unit of shares from 0 to 1. */
export const SHARE = 'share';

/** A figure with its unit; long lengths and areas in larger ones, shares in hundredths. */
export function formatFigure(v: number, unit: string): string {
  if (unit === 'm' && Math.abs(v) >= 1e4) return formatLength(v);
  if (unit === 'm2') return formatArea(v);
  if (unit === SHARE) return `${percentOf(v, 2)} %`;
  return `${formatNumber(v)} ${displayUnit(unit)}`.trim();
}
