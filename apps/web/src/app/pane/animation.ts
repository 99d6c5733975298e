import { GIFEncoder, applyPalette, quantize } from 'gifenc';
import { zip, type Zippable } from 'fflate';
import { stepLabel, stepStart, type TimeSteps } from '@helk/core/data/time-steps';
import type { DisplayList } from '../draw/display';
import { paint } from '../draw/paint';
import { pngOf } from '../parts/save';
import type { PaneTime } from '../state/panes';

/** One picture of each step, with its date. */
export interface Film {
  steps: TimeSteps;
  window: number;
  /** What is drawn at a moment, at so many pixels a pixel. */
  at(time: PaneTime, date: string, finer: number): Promise<DisplayList>;
  /** Told after each step; false stops. */
  progress(done: number, of: number): boolean;
}

/** Steps of one film: more would take minutes to draw and could not be watched. */
export const MOST_FRAMES = 400;
/** Time that a step is seen, ms. */
const DELAY = 350;
/** Of a film in memory, pixels of all frames. */
const FINER = { gif: 1, zip: 2 };

async function* frames(f: Film, finer: number): AsyncGenerator<{ canvas: HTMLCanvasElement; date: string }> {
  for (let k = 0; k < f.steps.count; k++) {
    const date = stepLabel(f.steps, k);
    const list = await f.at({ at: stepStart(f.steps, k), window: f.window }, date, finer);
    yield { canvas: paint(list, finer), date };
    if (!f.progress(k + 1, f.steps.count)) return;
  }
}

/** All steps as one moving picture; null where it was stopped. */
export async function gifOf(f: Film): Promise<Blob | null> {
  const gif = GIFEncoder();
  let done = 0;
  for await (const { canvas } of frames(f, FINER.gif)) {
    const { width, height } = canvas;
    const { data } = canvas.getContext('2d')!.getImageData(0, 0, width, height);
    // Colours of each picture by itself: keys and places stay as they are on the screen.
    const palette = quantize(data, 256);
    gif.writeFrame(applyPalette(data, palette), width, height, { palette, delay: DELAY });
    done++;
  }
  if (done < f.steps.count) return null;
  gif.finish();
  return new Blob([gif.bytes().slice()], { type: 'image/gif' });
}

/** A picture each step, numbered so that they stay in order; null where it was stopped. */
export async function picturesOf(f: Film, name: string): Promise<Blob | null> {
  const files: Zippable = {};
  let done = 0;
  const digits = String(f.steps.count).length;
  for await (const { canvas, date } of frames(f, FINER.zip)) {
    done++;
    const png = new Uint8Array(await (await pngOf(canvas)).arrayBuffer());
    files[`${name} ${String(done).padStart(digits, '0')} ${date.replaceAll(':', '')}.png`] = [png, { level: 0 }];
  }
  if (done < f.steps.count) return null;
  const bytes = await new Promise<Uint8Array>((ok, no) => zip(files, (e, all) => (e ? no(e) : ok(all))));
  return new Blob([bytes.slice()], { type: 'application/zip' });
}
