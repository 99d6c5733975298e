import { inject, signal } from '@angular/core';
import type OlMap from 'ol/Map';
import { stepLabel } from '@helk/core/data/time-steps';
import type { DisplayList } from '../draw/display';
import { themeNow } from '../draw/theme';
import { KindTools } from '../kinds/tools';
import { copyPicture, saveBlob } from '../parts/save';
import { BenchStore } from '../state/bench.store';
import { Moments, type Timed } from '../state/moments';
import type { Pane, PaneTime } from '../state/panes';
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

/** Pictures of one map pane: what is seen, or every step of it. To be made where services may be asked for. */
export class PanePictures {
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly tools = inject(KindTools);
  private readonly moments = inject(Moments);
  /** How far pictures of the steps are; null while none are made. */
  readonly filming = signal<string | null>(null);

  constructor(private readonly of: Pictured) {}

  /** What is seen, as a drawing. */
  seen(): Promise<{ list: DisplayList; title: string } | null> {
    return this.drawn(2, this.of.pane().time ?? null, this.moment());
  }

  /** What is seen, to a file or the clipboard. */
  picture(format: PictureFormat, finer = 2, copied = false): Promise<void> {
    return this.project.guarded(() => this.makePicture(format, finer, copied)) as Promise<void>;
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
  ): Promise<{ list: DisplayList; title: string; name: string } | null> {
    const map = this.of.map();
    const size = map?.getSize() as [number, number] | undefined;
    if (!map || !size) return null;
    const [{ mapImage }, { captioned }] = await Promise.all([import('./picture'), import('./caption')]);
    const theme = themeNow(this.bench.dark());
    const crs = this.project.crs();
    const { swipe } = this.of.pane();
    const image = await mapImage(this.of.stack(), map.getView(), size, {
      crs,
      theme,
      swipe,
      time,
      tools: this.tools,
      finer,
    });
    const seen = this.of.stack().filter((l) => l.layer.visible);
    const title = [seen.map((l) => l.item.name).join(' + '), date].filter(Boolean).join(', ');
    const list = captioned(image, ...size, {
      title,
      project: this.project.project()?.name ?? '',
      crs: `${crs.code ?? ''} ${crs.name}`.trim(),
      legends: this.of.keys().map((k) => k.legend),
      bar: this.of.scaleBar(),
      ink: theme.ink,
      quiet: theme.quiet,
      paper: theme.ground,
    });
    return { list, title, name: seen.at(-1)?.item.name ?? 'pane' };
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
