import type { Object3D } from 'three';
import type { Crs, Extent, RasterInfo } from '@helk/core';
import { drawnBand } from '../draw/messages';
import type { Theme } from '../draw/theme';
import { clientKind } from '../kinds';
import type { LayerState, Tools } from '../kinds/kind';
import type { Stacked } from '../pane/map-layers';
import type { SceneView } from '../state/panes';
import { extentIn } from '../state/project.store';
import type { Body } from './body';
import { drape } from './drape';
import { Ground, squared } from './ground';
import type { Stage } from './stage';

/** Side of the fine patch of ground, as a multiple of what is seen across. */
const AROUND = 3;

interface Held {
  lift: string | null;
  body: Body | null;
  gone: boolean;
  state: LayerState<object>;
}

/** The stack of a pane as things in a scene: one raster is the ground, what stands is a body, all else lies on the ground as its picture. */
export class SceneWorld {
  readonly ground: Ground;
  private readonly bodies = new Map<string, Held>();
  /** What the ground and the pictures on it were made for. */
  private groundKey = '';
  private pictureKey = '';
  private fine: Extent | null = null;
  private gone = false;

  constructor(
    private readonly stage: Stage,
    private readonly tools: Tools,
    private readonly crs: Crs,
    readonly origin: [number, number],
    readonly unit: number,
    private readonly told: () => void,
    private readonly failed: (e: unknown) => void,
  ) {
    this.ground = new Ground(stage.world, tools.drawing, origin, unit, crs);
  }

  /** The raster that is the ground: the one that was chosen, else the lowest one of heights. */
  static groundOf(stack: readonly Stacked[], chosen: string | null): Stacked | null {
    const can = stack.filter((l) => clientKind(l.item.info).ground?.(l.item.info as never, l.look as never));
    return can.find((l) => l.item.id === chosen) ?? can[0] ?? null;
  }

  /**
   * Brings bodies, ground and pictures in line with the stack.
   *
   * @param seen the square of the system that is seen around the place that is looked at
   */
  sync(stack: readonly Stacked[], view: SceneView, theme: Theme, seen: Extent): void {
    const wanted = new Set<string>();
    const lying: Stacked[] = [];
    stack.forEach((l, z) => {
      const kind = clientKind(l.item.info);
      const made = kind.body?.(l.item.info as never, view.lift[l.item.id]);
      if (!made) {
        if (l.layer.visible && kind.driver) lying.push({ ...l, look: kind.unlit?.(l.look as never) ?? l.look });
        return;
      }
      wanted.add(l.item.id);
      const state: LayerState<object> = {
        item: l.item,
        look: l.look,
        visible: l.layer.visible,
        z,
        scale: l.scale,
        below: null,
        over: false,
        time: null,
        swipe: null,
        theme,
      };
      const held = this.bodies.get(l.item.id);
      if (held?.lift === made.lift) {
        held.state = state;
        held.body?.update(state);
        return;
      }
      if (held) this.drop(l.item.id, held);
      const fresh: Held = { lift: made.lift, body: null, gone: false, state };
      this.bodies.set(l.item.id, fresh);
      void made.load().then((make) => {
        if (fresh.gone || this.gone) return;
        const { world } = this.stage;
        fresh.body = make({
          add: (o) => world.add(o),
          remove: (o) => world.remove(o),
          origin: this.origin,
          unit: this.unit,
          crs: this.crs,
          tools: this.tools,
          ground: this.ground,
          first: fresh.state as never,
          lift: made.lift,
          changed: () => {
            this.stage.ask();
            this.told();
          },
          failed: this.failed,
        }) as Body;
      }, this.failed);
    });
    for (const [id, held] of [...this.bodies]) if (!wanted.has(id)) this.drop(id, held);
    this.lay(stack, lying, view, theme, seen);
    this.stage.ask();
  }

  private lay(stack: readonly Stacked[], lying: readonly Stacked[], view: SceneView, theme: Theme, seen: Extent): void {
    const ground = SceneWorld.groundOf(stack, view.ground);
    const info = ground?.item.info as RasterInfo | undefined;
    const of = ground && clientKind(ground.item.info).ground!(ground.item.info as never, ground.look as never);
    const whole = extentAround(ground ? [ground] : lying, this.crs) ?? seen;
    // Only what is seen of it needs to be fine; where one goes on a little the same does.
    const side = seen[2] - seen[0];
    const fits =
      this.fine &&
      seen[0] >= this.fine[0] &&
      seen[1] >= this.fine[1] &&
      seen[2] <= this.fine[2] &&
      seen[3] <= this.fine[3] &&
      this.fine[2] - this.fine[0] < 2 * AROUND * side;
    const pictures = JSON.stringify([lying.map((l) => [l.item.id, l.look, l.scale]), theme.dark]);
    const key = JSON.stringify([ground?.item.id ?? null, of?.band ?? 0]);
    const bare = !ground && !lying.length;
    if (bare) {
      this.ground.clear();
      this.groundKey = this.pictureKey = '';
      return;
    }
    const paint = (e: Extent) => drape(lying, e, { crs: this.crs, theme, tools: this.tools });
    if (key !== this.groundKey || !fits) {
      this.groundKey = key;
      this.pictureKey = pictures;
      const half = (AROUND * side) / 2;
      const [x, y] = [(seen[0] + seen[2]) / 2, (seen[1] + seen[3]) / 2];
      this.fine = [x - half, y - half, x + half, y + half];
      const source = ground && info ? drawnBand(this.tools.project(), ground.item.id, info, of!.band) : null;
      void this.ground
        .make(source && { source, metres: of!.metres }, this.lowest(stack), whole, this.fine, paint)
        .then((made) => {
          if (!made || this.gone) return;
          for (const { body } of this.bodies.values()) body?.settle?.();
          this.stage.ask();
          this.told();
        }, this.failed);
    } else if (pictures !== this.pictureKey) {
      this.pictureKey = pictures;
      void this.ground.repaint(paint).then(() => this.stage.ask(), this.failed);
    }
  }

  /** Where a flat ground lies: below what is there. */
  private lowest(stack: readonly Stacked[]): number {
    let low = Infinity;
    for (const { item } of stack) {
      const heights = clientKind(item.info).heights?.(item.info as never);
      if (heights) low = Math.min(low, heights[0]);
    }
    return Number.isFinite(low) ? low : 0;
  }

  /** Before each picture. */
  prepare(exaggeration: number): void {
    const { camera, height, moving } = this.stage;
    for (const { body } of this.bodies.values()) body?.prepare?.(camera, height, moving, exaggeration);
  }

  symbolsOf(id: string): unknown {
    return this.bodies.get(id)?.body?.symbols?.() ?? null;
  }

  get points(): number {
    return [...this.bodies.values()].reduce((s, { body }) => s + (body?.points ?? 0), 0);
  }

  /**
   * What lies under a pixel: a place of the system, its height, and the row of a body where one was met.
   *
   * @param level height that is taken where there is nothing, m
   */
  hit(
    px: number,
    py: number,
    level: number,
  ): { x: number; y: number; z: number; dataset: string | null; row: number } | null {
    const owners = new Map<Object3D, [string, Body]>();
    const targets: Object3D[] = [...this.ground.meshes];
    for (const [id, { body }] of this.bodies)
      for (const o of body?.targets ?? []) {
        targets.push(o);
        owners.set(o, [id, body!]);
      }
    const exaggeration = this.stage.world.scale.z;
    const first = this.stage.under(px, py, targets)[0];
    const at = first?.point ?? this.stage.level(px, py, level * exaggeration);
    if (!at) return null;
    const owner = first ? owners.get(first.object) : undefined;
    return {
      x: at.x / this.unit + this.origin[0],
      y: at.y / this.unit + this.origin[1],
      z: at.z / exaggeration,
      dataset: owner?.[0] ?? null,
      row: (owner && first && owner[1].rowOf?.(first)) ?? -1,
    };
  }

  private drop(id: string, held: Held): void {
    held.gone = true;
    held.body?.dispose();
    this.bodies.delete(id);
  }

  dispose(): void {
    this.gone = true;
    for (const [id, held] of [...this.bodies]) this.drop(id, held);
    this.ground.clear();
  }
}

function extentAround(stack: readonly Stacked[], crs: Crs): Extent | null {
  const all = stack.flatMap((l) => {
    const e = extentIn(l.item.info, crs);
    return e ? [e] : [];
  });
  if (!all.length) return null;
  return squared([
    Math.min(...all.map((e) => e[0])),
    Math.min(...all.map((e) => e[1])),
    Math.max(...all.map((e) => e[2])),
    Math.max(...all.map((e) => e[3])),
  ]);
}
