import { sideOf } from '../../data/number-words';
import type { Network } from '../../data/network';
import { corners, type Stage } from './stages';

/** One line of directions. */
export interface Step {
  leg: number;
  turn: string;
  street: string;
  seconds: number;
  length: number;
}

/** Stages of one street put together, with how one turns into it; at the end, where one has come. */
export function directions(
  network: Network,
  stages: readonly Stage[],
  seconds: { there: Float64Array; back: Float64Array },
  leg: number,
  to: string | number,
): Step[] {
  const named = network.pieces.columns.find((c) => /^(name|street|street_?name)$/i.test(c.name) && c.type === 'text');
  const id = named ?? network.pieces.columns.find((c) => c.name === 'id');
  const nameOf = (i: number): string => (!id || id.missing?.[i] ? '' : String(id.values[i]!));
  const out: Step[] = [];
  let heading = NaN;
  for (const s of stages) {
    const line = corners(network, s);
    const [a, b] = [line[0]!, line[1] ?? line[0]!];
    const into = Math.atan2(b[0] - a[0], b[1] - a[1]);
    const share = Math.abs(s.b - s.a);
    const time = share * (s.b >= s.a ? seconds.there : seconds.back)[s.piece]!;
    const length = share * network.length[s.piece]!;
    const last = out.at(-1);
    const street = nameOf(s.piece);
    if (last?.street === street && Math.abs(turned(heading, into)) < 60) {
      last.seconds += time;
      last.length += length;
    } else
      out.push({
        leg,
        turn: last ? turnWords(turned(heading, into)) : `set out ${sideOf((into * 180) / Math.PI)}`,
        street,
        seconds: time,
        length,
      });
    const [c, d] = [line.at(-2) ?? a, line.at(-1)!];
    heading = Math.atan2(d[0] - c[0], d[1] - c[1]);
  }
  out.push({ leg, turn: 'arrive', street: String(to), seconds: 0, length: 0 });
  return out;
}

/** Degrees to the right, from -180 to 180. */
const turned = (from: number, into: number): number => {
  const d = ((into - from) * 180) / Math.PI;
  return ((((d + 180) % 360) + 360) % 360) - 180;
};
function turnWords(degrees: number): string {
  const side = degrees > 0 ? 'right' : 'left';
  const d = Math.abs(degrees);
  if (d < 20) return 'straight on';
  if (d < 60) return `half ${side}`;
  if (d < 130) return side;
  return d < 165 ? `sharp ${side}` : 'back';
}
