import { wgs84 } from '@helk/core';
import { crossings, edgeLabels, gridLines, gridStep, MOST_LINES, outlineIn } from '@helk/core/sheet/graticule';
import { frameMap, scaleSpread } from '@helk/core/sheet/ground';
import { framesOf, type Frame } from '@helk/core/sheet/shape';
import type { DisplayItem, Point } from '../../draw/display';
import { INK, letters, MM, PT } from '../paper';
import type { PartCheck, PartContext, PartRecord } from './part';

const GRID = 'rgb(29 40 44 / 0.42)';
/** Half of a cross, and a tick at the edge, mm. */
const CROSS = 1.4;
const TICK = 1.6;
/** Letters at the edge, points. */
const EDGE_LETTERS = 6.5;
/** Share by which the scale may differ within a frame before that is said. */
const EVEN = 0.01;

const px = (points: readonly (readonly [number, number])[]): Point[] => points.map(([x, y]) => [x * MM, y * MM]);

function gridItems(f: Frame): { inside: DisplayItem[]; outside: DisplayItem[] } {
  const { grid } = f;
  if (!grid) return { inside: [], outside: [] };
  const lines = gridLines(f, grid);
  const line = { stroke: GRID, line: 0.4 * PT };
  const edges = edgeLabels(f, lines);
  const inside: DisplayItem[] =
    grid.draw === 'lines'
      ? lines.map((l) => ({ kind: 'shape', rings: l.pieces.map(px), closed: false, ...line }))
      : grid.draw === 'crosses'
        ? crossings(f, grid).map(([x, y]) => ({
            kind: 'shape',
            closed: false,
            rings: [
              px([
                [x - CROSS, y],
                [x + CROSS, y],
              ]),
              px([
                [x, y - CROSS],
                [x, y + CROSS],
              ]),
            ],
            stroke: INK,
            line: 0.5 * PT,
          }))
        : edges.map(({ x, y, side }) => {
            const [dx, dy] = { left: [TICK, 0], right: [-TICK, 0], top: [0, TICK], bottom: [0, -TICK] }[side] as [
              number,
              number,
            ];
            return {
              kind: 'path',
              points: px([
                [x, y],
                [x + dx, y + dy],
              ]),
              stroke: INK,
              line: 0.6 * PT,
            };
          });
  if (!grid.labels) return { inside, outside: [] };
  const look = { face: 'mono' as const, anchor: 'middle' as const };
  const outside = edges.map(({ x, y, side, label }): DisplayItem => {
    const [u, v] = [x * MM, y * MM];
    const gap = 1.2 * MM;
    const high = EDGE_LETTERS * PT * 0.72;
    if (side === 'top') return letters(label, u, v - gap, EDGE_LETTERS, look);
    if (side === 'bottom') return letters(label, u, v + gap + high, EDGE_LETTERS, look);
    // At the sides they run upwards: they need less room so.
    return letters(label, side === 'left' ? u - gap : u + gap + high, v, EDGE_LETTERS, { ...look, turn: -90 });
  });
  return { inside, outside };
}

/** Where the frame lies that an overview is about. */
function aroundItems(f: Frame, ctx: PartContext): DisplayItem[] {
  const of = f.around ? ctx.frame(f.around) : undefined;
  if (!of) return [];
  const ring = px(outlineIn(of, f));
  if (ring.length < 3) return [];
  return [
    { kind: 'shape', rings: [ring], closed: true, fill: 'rgb(15 92 110 / 0.16)', stroke: '#0f5c6e', line: 1.2 * PT },
  ];
}

/** Everything but the one area of this sheet stands back, and it has an edge. */
function spotItems(f: Frame, ctx: PartContext): DisplayItem[] {
  if (ctx.spot?.frame !== f.id) return [];
  const m = frameMap(f);
  const rings = ctx.spot.rings.map((r) => px(r.map(([x, y]) => m.toPaper(x, y))));
  const all = px([
    [f.x, f.y],
    [f.x + f.width, f.y],
    [f.x + f.width, f.y + f.height],
    [f.x, f.y + f.height],
  ]);
  return [
    { kind: 'shape', rings: [all, ...rings], closed: true, fill: 'rgb(255 255 255 / 0.62)' },
    { kind: 'shape', rings, closed: true, stroke: INK, line: 1 * PT },
  ];
}

async function checks(part: Frame, ctx: PartContext): Promise<PartCheck[]> {
  const f = ctx.frame(part.id)!;
  const out: PartCheck[] = [];
  const say = (text: string, mend?: PartCheck['mend']): void => {
    out.push({ part: part.id, text, ...(mend ? { mend } : {}) });
  };
  if (!f.layers.some((l) => l.visible)) say('Nothing is shown in this frame. Choose what it shows.');
  const { lost, pictured, items } = await ctx.drawing(f);
  if (lost)
    say(
      `${lost === 1 ? 'One dataset' : `${lost} datasets`} of this frame ${lost === 1 ? 'is' : 'are'} not in the project any more.`,
    );
  if (!items.length && f.layers.some((l) => l.visible) && !lost)
    say('There are no data where this frame is. Go to what it shows.');
  for (const name of pictured) say(`“${name}” has too many corners for lines of its own; it is printed as a picture.`);
  const [least, most] = scaleSpread(f);
  if (most - least > EVEN) {
    const by = (v: number): string => `${Math.abs((v - 1) * 100).toFixed(1)} %`;
    say(
      `The scale holds in the middle; elsewhere in the frame a centimetre is ${by(least)} less to ${by(most)} more of the ground${f.crs.geographic ? ', for it is drawn in degrees' : ''}.`,
    );
  }
  if (f.grid && gridLines(f, f.grid).length === 0)
    say(
      `A grid of ${f.grid.step ?? gridStep(f, f.grid.of)} would have no line in this frame, or more than ${MOST_LINES}.`,
    );
  return out;
}

export const frame: PartRecord<'frame'> = {
  kind: 'frame',
  label: 'Map',
  about: 'a part of the Earth at a scale',
  size: [120, 90],
  checks,

  async draw(part, ctx) {
    const f = ctx.frame(part.id)!;
    const drawing = await ctx.drawing(f);
    const { inside, outside } = gridItems(f);
    const clip = { x: f.x * MM, y: f.y * MM, width: f.width * MM, height: f.height * MM };
    return [
      { kind: 'group', clip, move: { x: clip.x, y: clip.y, scale: 1 }, items: drawing.items },
      { kind: 'group', clip, items: [...spotItems(f, ctx), ...inside, ...aroundItems(f, ctx)] },
      ...(f.edge ? [{ kind: 'box' as const, ...clip, stroke: INK, line: 0.75 * PT }] : []),
      ...outside,
    ];
  },

  begin(id, box, { sheet }) {
    // A second map begins where the first one is; without any, with the whole Earth.
    const like = framesOf(sheet)[0];
    return {
      kind: 'frame',
      id,
      ...box,
      crs: like?.crs ?? wgs84(),
      centre: like?.centre ?? [0, 0],
      scale: like?.scale ?? 200_000_000,
      turn: like?.turn ?? 0,
      layers: like?.layers ?? [],
      time: like?.time ?? null,
      edge: true,
      grid: null,
      linked: null,
      around: null,
      ground: like?.ground ?? null,
    };
  },
  editor: () => import('./frame-editor').then((m) => m.FrameEditor),
};
