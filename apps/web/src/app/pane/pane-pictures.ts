import { Dialog } from '@angular/cdk/dialog';
import { inject, signal } from '@angular/core';
import type OlMap from 'ol/Map';
import { firstValueFrom } from 'rxjs';
import * as z from 'zod';
import { systemWords } from '@helk/core';
import { fileName } from '@helk/core/sheet/fields';
import { trueNorth } from '@helk/core/sheet/ground';
import { stepLabel } from '@helk/core/data/time-steps';
import type { DisplayList } from '../draw/display';
import { PAPER_THEME, themeNow } from '../draw/theme';
import type { Tools } from '../kinds/kind';
import { KindTools } from '../kinds/tools';
import { remember, remembered } from '../parts/remembered';
import { copyPicture, saveBlob } from '../parts/save';
import { Backgrounds } from '../state/backgrounds';
import { BenchStore } from '../state/bench.store';
import { Moments, type Timed } from '../state/moments';
import type { Pane, PaneTime } from '../state/panes';
import { Picks } from '../state/picks';
import { ProjectStore } from '../state/project.store';
import { stepsSeen } from '../state/stack-data';
import type { Stacked } from './map-layers';
import type { PictureFormat } from './picture';
import type { barOf } from './scale-bar';
import type { LayerKey } from './stack';

/** What pictures are made of: a map with what stands in it and beside it. */
export interface Pictured {
  map(): OlMap | null;
  pane(): Pane;
  stack(): Stacked[];
  keys(): LayerKey[];
  scaleBar(): ReturnType<typeof barOf> | null;
  timed(): Timed | null;
}

/** What a picture shows beside the map; kept, as who makes pictures makes many alike. */
const WishShape = z.object({
  title: z.boolean().default(true),
  north: z.boolean().default(false),
  /** What is picked stands out in it as it does on the screen. */
  picked: z.boolean().default(false),
});
export type PictureWish = z.output<typeof WishShape>;

const WISH = 'helk.picture';
const PLAIN: PictureWish = WishShape.parse({});

/** Pictures of one map pane: what is seen, or every step of it. To be made where services may be asked for. */
export class PanePictures {
  private readonly bench = inject(BenchStore);
  private readonly dialog = inject(Dialog);
  private readonly project = inject(ProjectStore);
  private readonly tools = inject(KindTools);
  private readonly moments = inject(Moments);
  private readonly backgrounds = inject(Backgrounds);
  /** How far pictures of the steps are; null while none are made. */
  readonly filming = signal<string | null>(null);

  readonly wish = signal<PictureWish>(remembered(WISH, WishShape, PLAIN));

  constructor(private readonly of: Pictured) {}

  turn(what: keyof PictureWish): void {
    this.wish.update((w) => ({ ...w, [what]: !w[what] }));
    remember(WISH, this.wish());
  }

  /** The records' tools, with nothing picked where that is not wanted in a picture. */
  private toolsFor(picked: boolean): Tools {
    if (picked) return this.tools;
    const none = new Picks();
    return Object.create(this.tools, { picks: { value: none } }) as Tools;
  }

  /** What is seen, as a drawing on paper, whatever the screen is like: findings go onto pages. */
  seen(): Promise<{ list: DisplayList; title: string } | null> {
    const asSeen = { title: true, north: false, picked: true };
    return this.drawn(2, this.of.pane().time ?? null, this.moment(), PAPER_THEME, asSeen);
  }

  /** What is seen, to a file or the clipboard. */
  picture(format: PictureFormat, finer = 2, copied = false): Promise<void> {
    return this.project.guarded(() => this.makePicture(format, finer, copied)) as Promise<void>;
  }

  /** As wide as is asked for. */
  async sized(): Promise<void> {
    const size = this.of.map()?.getSize() as [number, number] | undefined;
    if (!size) return;
    const { PictureSize } = await import('./picture-size');
    const width = await firstValueFrom(this.dialog.open<number, unknown>(PictureSize, { data: size }).closed);
    if (width) await this.picture('png', width / size[0]);
  }

  private async makePicture(format: PictureFormat, finer: number, copied: boolean): Promise<void> {
    const made = await this.drawn(finer, this.of.pane().time ?? null, this.moment());
    if (!made) return;
    const { pictureFile } = await import('./picture');
    const file = await pictureFile(made.list, format, { title: made.title, finer });
    if (copied) {
      await copyPicture(file);
      this.project.notify('Copied.');
    } else saveBlob(file, `${made.name}.${format}`);
  }

  /** The date that is told beside the names of what is seen; nothing where nothing has steps. */
  private moment(): string {
    const timed = this.of.timed();
    if (!timed) return '';
    const { from, to } = stepsSeen(timed.steps, this.of.pane().time ?? null);
    return from === to
      ? stepLabel(timed.steps, to)
      : `mean of ${stepLabel(timed.steps, from)} to ${stepLabel(timed.steps, to)}`;
  }

  /** What is seen, with title, key and scale, at a moment. */
  private async drawn(
    finer: number,
    time: PaneTime | null,
    date: string,
    theme = themeNow(this.bench.dark()),
    wish = this.wish(),
  ): Promise<{ list: DisplayList; title: string; name: string } | null> {
    const map = this.of.map();
    const size = map?.getSize() as [number, number] | undefined;
    if (!map || !size) return null;
    const [{ mapImage }, { captioned }] = await Promise.all([import('./picture'), import('./caption')]);
    const crs = this.project.crs();
    const system = this.project.system();
    const { swipe } = this.of.pane();
    const image = await mapImage(this.of.stack(), map.getView(), size, {
      crs,
      theme,
      swipe,
      time,
      tools: this.toolsFor(wish.picked),
      finer,
      ground: this.backgrounds.ground(),
      lost: (...l) => this.backgrounds.missed(...l),
    });
    const seen = this.of.stack().filter((l) => l.layer.visible);
    const title = [seen.map((l) => l.item.name).join(' + '), date].filter(Boolean).join(', ');
    const list = captioned(image, ...size, {
      title: wish.title ? title : '',
      north: wish.north && system ? trueNorth(system, map.getView().getCenter() as [number, number]) : null,
      project: this.project.project()?.name ?? '',
      crs: system ? systemWords(system) : 'system not known',
      ground: this.backgrounds.creditOf(this.bench.background()),
      legends: this.of.keys().map((k) => k.legend),
      bar: this.of.scaleBar(),
      ink: theme.ink,
      quiet: theme.quiet,
      paper: theme.ground,
    });
    // The file is named by what is seen, so that a folder of pictures can be read.
    return { list, title, name: fileName(title, 'pane') };
  }

  /** All steps as pictures: one that moves, or one each. */
  film(how: 'gif' | 'zip'): Promise<void> {
    return this.project.guarded(async () => {
      const timed = this.of.timed();
      if (!timed || this.filming()) return;
      const { gifOf, picturesOf, MOST_FRAMES } = await import('./animation');
      if (timed.steps.count > MOST_FRAMES)
        throw new Error(
          `${timed.steps.count} steps are too many for pictures; at most ${MOST_FRAMES} are drawn. Take a part of them.`,
        );
      this.moments.stop();
      const film = {
        steps: timed.steps,
        window: this.of.pane().time?.window ?? 1,
        at: async (time: PaneTime, date: string, finer: number) => (await this.drawn(finer, time, date))!.list,
        progress: (done: number, of: number): boolean => {
          if (this.filming() === null) return false;
          this.filming.set(`${done} of ${of} pictures`);
          return true;
        },
      };
      this.filming.set('drawing');
      try {
        const blob = await (how === 'gif' ? gifOf(film) : picturesOf(film, timed.item.name));
        if (blob) saveBlob(blob, `${timed.item.name}.${how}`);
      } finally {
        this.filming.set(null);
      }
    }) as Promise<void>;
  }
}
