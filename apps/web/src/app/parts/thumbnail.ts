import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  ElementRef,
  effect,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** How long a way of drawing must stay before its small picture is drawn anew, ms. */
const REST = 400;

/** Small pictures that are wanted, drawn one after the other when nothing else is to be done: whoever scrolls past comes first. */
const wanted = new Set<() => void>();
const idle: (work: () => void) => void =
  typeof requestIdleCallback === 'function'
    ? (work) => requestIdleCallback(work, { timeout: 700 })
    : (work) => setTimeout(work, 30);
let going = false;

function drawLater(draw: () => void): () => void {
  wanted.add(draw);
  const next = (): void => {
    const [first] = wanted;
    going = first !== undefined;
    if (!first) return;
    wanted.delete(first);
    first();
    idle(next);
  };
  if (!going) {
    going = true;
    idle(next);
  }
  return () => wanted.delete(draw);
}

/** A small drawing of a dataset, made of its own values. */
@Component({
  selector: 'helk-thumbnail',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas
    #c
    width="76"
    height="56"
    class="block w-[38px] h-[28px] rounded-[4px] border border-line-soft bg-leaf"
    aria-hidden="true"
  ></canvas>`,
})
export class Thumbnail {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly looks = inject(Looks);
  private readonly tools = inject(KindTools);
  private readonly store = inject(ProjectStore);

  /** As it is drawn; another opacity or place in a stack is not another picture. */
  private readonly look = computed(() => this.looks.of(this.item()), {
    equal: (a, b) => a === b || JSON.stringify(a) === JSON.stringify(b),
  });

  private drawn = false;
  /** Rows far outside the view need no picture yet. */
  private readonly seen = signal(false);

  constructor() {
    const leave = inject(DestroyRef);
    afterNextRender(() => {
      const watch = new IntersectionObserver(([entry]) => {
        if (!entry?.isIntersecting) return;
        this.seen.set(true);
        watch.disconnect();
      });
      watch.observe(this.canvas().nativeElement);
      leave.onDestroy(() => watch.disconnect());
    });
    effect((done) => {
      const item = this.item();
      const project = this.store.project()?.id;
      if (!project || !this.seen()) return;
      const abort = new AbortController();
      done(() => abort.abort());
      const look = this.look();
      const draw = (): void => {
        this.drawn = true;
        void clientKind(item.info)
          .thumbnail(this.canvas().nativeElement, item, look, this.tools, abort.signal)
          .catch(() => undefined);
      };
      // While somebody moves a slider the map comes first.
      if (!this.drawn) done(drawLater(draw));
      else {
        const timer = setTimeout(draw, REST);
        done(() => clearTimeout(timer));
      }
    });
  }
}
