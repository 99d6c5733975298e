import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { valueOf, type Column, type Features } from '../../data/features';
import type { Mode } from '../../data/network';
import { formatNumber } from '../../data/number-words';
import { classOf, readClassSpeeds, USUAL_SPEED } from './street-classes';

const KMH = 3.6;
/** How columns say yes, no and the other way. */
const WORDS: Record<string, 'yes' | 'no' | 'reverse'> = {
  yes: 'yes',
  true: 'yes',
  '1': 'yes',
  y: 'yes',
  no: 'no',
  false: 'no',
  '0': 'no',
  n: 'no',
  reverse: 'reverse',
  '-1': 'reverse',
};

export interface RightsSettings {
  speedColumn?: string | undefined;
  classColumn?: string | undefined;
  onewayColumn?: string | undefined;
  walkColumn?: string | undefined;
  bicycleColumn?: string | undefined;
  carColumn?: string | undefined;
  classSpeeds?: string | undefined;
  walkSpeed: number;
  bicycleSpeed: number;
  carSpeed?: number | undefined;
}

/** How fast each street is gone along, each way, by each mode. Speeds in m/s; 0 where that is not allowed. */
export class Rights {
  private readonly speed: Column | undefined;
  private readonly kinds: Column | undefined;
  private readonly oneway: Column | undefined;
  private readonly may: Record<Mode, Column | undefined>;
  private readonly own: Map<string, number>;
  private readonly elsewhere: number;
  private readonly odd = new Map<string, Set<string>>();
  private noSpeed = 0;

  constructor(
    streets: Features,
    private readonly p: RightsSettings,
    private readonly job: { note(level: 'look' | 'info', code: string, message: string): void },
  ) {
    const named = (name: string | undefined): Column | undefined => {
      if (!name) return undefined;
      const c = streets.columns.find((o) => o.name === name);
      if (!c) throw new HelkError('method.parameter', `There is no column "${name}".`, name);
      return c;
    };
    this.speed = named(p.speedColumn);
    this.kinds = named(p.classColumn);
    this.oneway = named(p.onewayColumn);
    this.may = { walk: named(p.walkColumn), bicycle: named(p.bicycleColumn), car: named(p.carColumn) };
    this.own = readClassSpeeds(p.classSpeeds ?? '');
    this.elsewhere = p.carSpeed ?? USUAL_SPEED / KMH;
    if (this.speed) {
      const v = this.speed.values as Float64Array;
      for (let i = 0; i < v.length; i++) if (!this.speed.missing?.[i] && !(v[i]! > 0)) this.noSpeed++;
    }
  }

  private said(c: Column | undefined, row: number): 'yes' | 'no' | 'reverse' | null {
    const v = c ? valueOf(c, row) : null;
    if (v === null || v === '') return null;
    const word = typeof v === 'boolean' ? (v ? 'yes' : 'no') : String(v).trim().toLowerCase();
    const known = Object.hasOwn(WORDS, word) ? WORDS[word]! : null;
    if (!known) {
      const held = this.odd.get(c!.name) ?? new Set<string>();
      this.odd.set(c!.name, held.add(word));
    }
    return known;
  }

  private className(row: number): string | null {
    const v = this.kinds ? valueOf(this.kinds, row) : null;
    return v === null ? null : String(v);
  }

  /** How fast cars go, km/h; 0 where they may not. */
  driven(row: number): number {
    const kind = this.kinds ? classOf(this.className(row), this.own) : null;
    const allowed = this.said(this.may.car, row);
    if (allowed === 'no' || (allowed === null && kind?.car === 0)) return 0;
    const v = this.speed && !this.speed.missing?.[row] ? (this.speed.values as Float64Array)[row]! : NaN;
    if (v === v)
      return Math.max(0, this.speed!.unit === 'm/s' ? v * KMH : this.speed!.unit === 'mph' ? v * 1.609344 : v);
    return kind?.known && kind.car > 0 ? kind.car : this.elsewhere * KMH;
  }

  speeds(row: number, mode: Mode): { there: number; back: number } {
    const kind = this.kinds ? classOf(this.className(row), this.own) : null;
    const allowed = this.said(this.may[mode], row) ?? (kind && mode !== 'car' && !kind[mode] ? 'no' : 'yes');
    if (mode === 'walk') {
      const v = allowed === 'no' ? 0 : this.p.walkSpeed;
      return { there: v, back: v };
    }
    const v = mode === 'car' ? this.driven(row) / KMH : allowed === 'no' ? 0 : this.p.bicycleSpeed;
    const way = this.said(this.oneway, row);
    return { there: way === 'reverse' ? 0 : v, back: way === 'yes' ? 0 : v };
  }

  /** Says which speeds were taken, and what could not be read. */
  tell(length: Float64Array, street: Uint32Array): void {
    for (const [name, words] of this.odd)
      this.job.note(
        'look',
        'network.words',
        `Column "${name}" says ${[...words]
          .slice(0, 3)
          .map((w) => `"${w}"`)
          .join(
            ', ',
          )}${words.size > 3 ? ' …' : ''}, which is neither yes, no nor reverse; it is as if it said nothing.`,
      );
    if (this.noSpeed)
      this.job.note(
        'look',
        'network.speed',
        `${plural(this.noSpeed, 'street')} with a speed of 0 or less ${this.noSpeed === 1 ? 'is' : 'are'} closed to cars.`,
      );
    if (!this.kinds) return;
    const by = new Map<string, { metres: number; known: boolean; car: number }>();
    for (let i = 0; i < street.length; i++) {
      const name = this.className(street[i]!) ?? 'no class';
      const k = classOf(name, this.own);
      const held = by.get(name) ?? { metres: 0, known: k.known, car: k.known ? k.car : this.elsewhere * KMH };
      held.metres += length[i]!;
      by.set(name, held);
    }
    const list = [...by].sort((a, b) => b[1].metres - a[1].metres).slice(0, 12);
    this.job.note(
      'info',
      'network.classes',
      `Cars by class, where no column says otherwise: ${list.map(([name, k]) => `${name} ${k.car ? `${formatNumber(k.car)} km/h` : 'none'}${k.known ? '' : ' (class not known)'}`).join(', ')}.`,
    );
  }
}
