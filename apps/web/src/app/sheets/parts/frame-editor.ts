import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { formatNumber } from '@helk/core';
import { gridStep, readAngle, stepWords } from '@helk/core/sheet/graticule';
import { readScale, roundScale, scaleText, scaleToFit } from '@helk/core/sheet/ground';
import type { Grid } from '@helk/core/sheet/shape';
import { ICONS } from '../../parts/icons';
import { Backgrounds } from '../../state/backgrounds';
import { BenchStore } from '../../state/bench.store';
import { Looks } from '../../state/looks';
import { extentOfAll, ProjectStore } from '../../state/project.store';
import { FirstSheet } from '../first-sheet';
import { PartEditor } from './edit';

/** What a map shows, where, at which scale, and the lines over it. */
@Component({
  selector: 'helk-frame-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <div class="settings">
      <label for="frame-scale">Scale</label>
      <input
        id="frame-scale"
        class="num"
        data-testid="frame-scale"
        [value]="scaleText(own().scale)"
        [disabled]="!!part().linked"
        (change)="setScale($event)"
      />
      <label for="frame-x">Centre</label>
      <span class="flex gap-1">
        <input
          id="frame-x"
          class="num min-w-0"
          [attr.aria-label]="'Centre, east (' + own().crs.unit + ')'"
          [value]="plain(own().centre[0])"
          [disabled]="!!part().linked"
          (change)="setCentre(0, $event)"
        />
        <input
          class="num min-w-0"
          [attr.aria-label]="'Centre, north (' + own().crs.unit + ')'"
          [value]="plain(own().centre[1])"
          [disabled]="!!part().linked"
          (change)="setCentre(1, $event)"
        />
      </span>
      <label for="frame-turn">Turned</label>
      <span class="flex items-center gap-2"
        ><input
          id="frame-turn"
          class="num !w-20"
          inputmode="decimal"
          [value]="own().turn"
          [disabled]="!!part().linked"
          (change)="setTurn(number($event))"
        /><span class="text-ink-2 text-[12px]">° clockwise</span></span
      >
      <span></span>
      <span class="flex gap-3 text-[12.5px]">
        <button class="link" (click)="whole()" [disabled]="!!part().linked">All that is shown</button>
      </span>
      @if (frames().length > 1) {
        <label for="frame-linked">Goes with</label>
        <select id="frame-linked" (change)="put({ linked: text($event) || null })">
          <option value="" [selected]="!part().linked">nothing</option>
          @for (f of others(); track f.id) {
            <option [value]="f.id" [selected]="f.id === part().linked">{{ f.label }}</option>
          }
        </select>
        <label for="frame-around">Overview of</label>
        <select id="frame-around" (change)="put({ around: text($event) || null })">
          <option value="" [selected]="!part().around">nothing</option>
          @for (f of others(); track f.id) {
            <option [value]="f.id" [selected]="f.id === part().around">{{ f.label }}</option>
          }
        </select>
      }
      <label for="frame-ground">Under it</label>
      <select id="frame-ground" data-testid="frame-ground" (change)="setGround(text($event))">
        <option value="" [selected]="!part().ground">nothing</option>
        <option value="coasts" [selected]="part().ground?.of === 'coasts'">coasts of the world</option>
        @for (b of backgrounds.all(); track b.id) {
          <option [value]="b.id" [selected]="part().ground?.of === b.id">{{ b.background.name }}</option>
        }
      </select>
      <label for="frame-grid">Grid</label>
      <select id="frame-grid" data-testid="frame-grid" (change)="setGrid(text($event))">
        <option value="" [selected]="!part().grid">none</option>
        <option value="system" [selected]="part().grid?.of === 'system'">{{ own().crs.unit }} of {{ code() }}</option>
        <option value="degrees" [selected]="part().grid?.of === 'degrees'">longitude and latitude</option>
      </select>
      @if (part().grid; as g) {
        <label for="frame-step">Every</label>
        <span class="flex items-center gap-2"
          ><input
            id="frame-step"
            class="num !w-24"
            inputmode="decimal"
            [value]="g.step === null ? '' : stepText(g.step)"
            [placeholder]="stepText(suggested())"
            (change)="setStep($event)"
          /><span class="text-ink-2 text-[12px]">{{ g.of === 'degrees' ? 'of arc' : own().crs.unit }}</span></span
        >
        <label for="frame-draw">Drawn as</label>
        <span class="flex items-center gap-3"
          ><select id="frame-draw" class="!w-24" (change)="put({ grid: { ...g, draw: $any(text($event)) } })">
            @for (d of ['lines', 'crosses', 'ticks']; track d) {
              <option [value]="d" [selected]="d === g.draw">{{ d }}</option>
            }
          </select>
          <label class="tick"
            ><input
              type="checkbox"
              [checked]="g.labels"
              (change)="put({ grid: { ...g, labels: checked($event) } })"
            />labelled</label
          ></span
        >
      }
      <span></span>
      <label class="tick"
        ><input type="checkbox" [checked]="part().edge" (change)="put({ edge: checked($event) })" />a line around
        it</label
      >
    </div>
    <h4 class="voice text-[15px] text-ink-2 mt-3 mb-1">What it shows</h4>
    @for (l of layers(); track l.id; let i = $index) {
      <div class="flex items-center gap-1.5 py-0.5">
        <input
          type="checkbox"
          [checked]="l.visible"
          [attr.aria-label]="'Show ' + l.name"
          (change)="setVisible(l.id, checked($event))"
        />
        <span class="flex-1 truncate text-[12.5px]" [class.text-ink-3]="l.lost" [title]="l.name">{{ l.name }}</span>
        <button
          class="icon-btn !h-6"
          title="Up"
          [attr.aria-label]="l.name + ' up'"
          [disabled]="i === 0"
          (click)="move(i, -1)"
        >
          <ng-icon name="lucideArrowUp" size="12" />
        </button>
        <button class="icon-btn !h-6" title="Take out" [attr.aria-label]="'Take out ' + l.name" (click)="remove(l.id)">
          <ng-icon name="lucideX" size="12" />
        </button>
      </div>
    } @empty {
      <p class="hint">Nothing yet.</p>
    }
    <div class="flex flex-wrap gap-x-3 gap-y-1 mt-1.5 text-[12.5px]">
      @for (p of panes(); track p.id) {
        <button class="link" (click)="asPane(p.id)">As pane {{ p.id }}</button>
      }
      @if (redrawn()) {
        <button class="link" (click)="asDrawn()">As drawn now</button>
      }
    </div>
  `,
})
export class FrameEditor extends PartEditor<'frame'> {
  protected readonly backgrounds = inject(Backgrounds);
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly looks = inject(Looks);
  private readonly first = inject(FirstSheet);
  protected readonly scaleText = scaleText;
  protected readonly own = computed(() => this.ctx().frame(this.part().id) ?? this.part());
  protected readonly code = computed(() => this.own().crs.code ?? this.own().crs.name);
  protected readonly others = computed(() => this.frames().filter((f) => f.id !== this.part().id));
  protected readonly suggested = computed(() => gridStep(this.own(), this.part().grid?.of ?? 'system'));
  protected readonly panes = this.first.maps;
  /** The top one first. */
  protected readonly layers = computed(() =>
    [...this.part().layers].reverse().map((l) => {
      const d = this.store.datasetEntityMap()[l.dataset];
      return { id: l.dataset, visible: l.visible, name: d?.name ?? 'not in the project any more', lost: !d };
    }),
  );
  /** Something is drawn another way on the workbench by now. */
  protected readonly redrawn = computed(() =>
    this.part().layers.some((l) => {
      const d = this.store.datasetEntityMap()[l.dataset];
      return d && JSON.stringify(this.looks.of(d)) !== JSON.stringify(l.look);
    }),
  );

  protected readonly plain = (v: number): string =>
    this.own().crs.geographic ? v.toFixed(5) : formatNumber(Math.round(v));

  protected setScale(e: Event): void {
    const scale = readScale(this.text(e));
    if (scale) this.put({ scale });
    else {
      this.store.notify(`“${this.text(e)}” is no scale; write it like 1:25 000.`, 'refused');
      (e.target as HTMLInputElement).value = scaleText(this.own().scale);
    }
  }

  protected setCentre(axis: 0 | 1, e: Event): void {
    const v = Number(
      this.text(e)
        .replace(/[\s\u00a0\u202f']/g, '')
        .replace(',', '.'),
    );
    const centre: [number, number] = [...this.own().centre];
    if (Number.isFinite(v) && this.text(e).trim()) {
      centre[axis] = v;
      this.put({ centre });
    } else (e.target as HTMLInputElement).value = this.plain(centre[axis]);
  }

  protected setTurn(turn: number): void {
    if (Number.isFinite(turn) && Math.abs(turn) <= 360) this.put({ turn });
  }

  protected whole(): void {
    const items = this.part().layers.flatMap((l) =>
      l.visible ? (this.store.datasetEntityMap()[l.dataset] ?? []) : [],
    );
    const f = this.own();
    const e = extentOfAll(items, f.crs);
    if (!e) return;
    const centre: [number, number] = [(e[0] + e[2]) / 2, (e[1] + e[3]) / 2];
    this.put({ centre, scale: roundScale(scaleToFit({ ...f, centre }, e, 0.04)) });
  }

  protected setGround(of: string): void {
    const strength = this.part().ground?.strength ?? this.bench.backgroundStrength();
    this.put({ ground: of ? { of, strength } : null });
  }

  protected setGrid(of: string): void {
    const grid: Grid | null = of
      ? { draw: 'lines', labels: true, ...this.part().grid, of: of as Grid['of'], step: null }
      : null;
    this.put({ grid });
  }

  /** Whether the grid goes by angles. */
  private angles(): boolean {
    return this.part().grid?.of === 'degrees' || this.own().crs.geographic;
  }

  protected stepText(step: number): string {
    return this.angles() ? stepWords(step) : String(step);
  }

  protected setStep(e: Event): void {
    const g = this.part().grid;
    const step = this.angles() ? (readAngle(this.text(e)) ?? NaN) : this.number(e);
    if (!g) return;
    // What says nothing leaves it to the frame again.
    this.put({ grid: { ...g, step: step > 0 ? step : null } });
    if (!(step > 0)) (e.target as HTMLInputElement).value = '';
  }

  protected setVisible(id: string, visible: boolean): void {
    this.put({ layers: this.part().layers.map((l) => (l.dataset === id ? { ...l, visible } : l)) });
  }

  protected remove(id: string): void {
    this.put({ layers: this.part().layers.filter((l) => l.dataset !== id) });
  }

  /** @param i from the top */
  protected move(i: number, by: number): void {
    const layers = [...this.part().layers].reverse();
    const [l] = layers.splice(i, 1);
    layers.splice(i + by, 0, l!);
    this.put({ layers: layers.reverse() });
  }

  protected asPane(id: number): void {
    const pane = this.panes().find((p) => p.id === id);
    if (pane) this.put({ layers: this.first.layersOf(pane), time: pane.time ?? null });
  }

  protected asDrawn(): void {
    this.put({
      layers: this.part().layers.map((l) => {
        const d = this.store.datasetEntityMap()[l.dataset];
        return d ? { ...this.first.layerOf(d), visible: l.visible } : l;
      }),
    });
  }
}
