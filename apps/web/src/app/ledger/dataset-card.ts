import { DIALOG_DATA, DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { formatBytes, kindOf, likelySystems, lossesOf, placeOfExtent, systemWords, unitInName } from '@helk/core';
import { WRITE_FORMATS, type WriteFormat } from '@helk/core/formats/write-formats';
import { Api } from '../api/api';
import { CrsField } from '../parts/crs-field';
import { momentText } from '../parts/moment-text';
import { Anew } from '../state/anew';
import { BenchStore } from '../state/bench.store';
import { namedInput } from '../state/inputs';
import { figuresOf } from '../state/figures';
import { Scenes } from '../state/scenes';
import { crsOf, ProjectStore, type DatasetItem } from '../state/project.store';
import { givenUnit, Telling } from '../state/telling';
import { threadsOf } from '../state/threads';
import { BandRoles } from './band-roles';
import { DatasetChecks } from './dataset-checks';

/** Everything about one dataset: what it is, where it came from, its checks; rename, annotate, complete, save as a file. */
@Component({
  selector: 'helk-dataset-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [BandRoles, CrsField, DatasetChecks],
  template: `
    @if (item(); as d) {
      <div
        class="popover w-[560px] max-w-[94vw] max-h-[86vh] overflow-auto p-5 grid grid-cols-1 gap-3 text-[13px]"
        data-testid="dataset-card"
      >
        <input
          class="text-[17px] font-[600] w-full"
          [value]="d.name"
          (change)="rename($any($event.target))"
          aria-label="Name"
          data-at="name"
          maxlength="200"
        />
        <textarea
          rows="2"
          class="w-full"
          placeholder="A note for those who come after"
          [value]="d.note"
          (change)="telling.note(d, $any($event.target).value)"
          aria-label="Note"
          data-at="note"
        ></textarea>
        <label class="grid grid-cols-[130px_1fr] items-center gap-3"
          >Thread<input
            class="voice !text-[15px]"
            [value]="thread()?.named ? thread()!.title : ''"
            placeholder="a name for it in the ledger"
            list="threads"
            maxlength="120"
            (change)="callThread($any($event.target).value)"
        /></label>
        <datalist id="threads">
          @for (t of names(); track t) {
            <option [value]="t"></option>
          }
        </datalist>
        <dl class="grid grid-cols-[130px_1fr] gap-x-3 gap-y-1">
          @for (f of facts(); track f.name) {
            <dt class="text-ink-2">{{ f.name }}</dt>
            <dd class="num break-words min-w-0">{{ f.value }}</dd>
          }
        </dl>
        @if (scene()) {
          <helk-band-roles [item]="d" />
        }
        @if (stale(); as text) {
          <div class="check check-look" data-testid="stale">
            {{ text }}
            <button class="link block" [disabled]="anew.busy()" (click)="anew.make(d.id)">
              {{ anew.busy() === d.id ? 'Making it anew …' : 'Make it anew' }}
            </button>
          </div>
        }
        @if (d.source) {
          <p class="text-[12.5px] flex gap-2">
            @if (newer(); as n) {
              <span class="flex-1">“{{ n }}” has taken its place.</span>
              <button class="link" (click)="store.patchDataset(d.id, { replacedBy: null })">Take that back</button>
            } @else {
              <button class="link" (click)="file.click()" data-testid="newer-file">Replace it with a newer file</button>
              <span class="text-ink-2">what was made from it can then be made again</span>
              <input #file type="file" class="hidden" data-testid="newer" (change)="replace(d, file)" />
            }
          </p>
        }
        @if (placed()) {
          <label class="grid grid-cols-[130px_1fr] items-center gap-3"
            >{{ system() ? 'Say it is in' : 'It lies in'
            }}<helk-crs-field
              data-at="system"
              value=""
              [place]="place()"
              data-testid="give-system"
              (picked)="giveSystem($event)"
          /></label>
          @for (c of likely(); track c.code) {
            <p class="pl-[142px] -mt-2 text-[12.5px] text-ink-2">
              <button class="link num" (click)="giveSystem(c.code!)">{{ c.code }}</button> would put it among the other
              data
            </p>
          }
        }
        @if (needsUnit()) {
          <label class="grid grid-cols-[130px_1fr] items-center gap-3"
            >Unit of its values<input
              placeholder="like m"
              maxlength="20"
              data-at="unit"
              [value]="givenUnit() ?? ''"
              (change)="setUnit($any($event.target).value)"
          /></label>
          @if (namedUnit(); as u) {
            <p class="pl-[142px] -mt-2 text-[12.5px] text-ink-2">
              its name ends in <button class="link num" (click)="setUnit(u)">{{ u }}</button>
            </p>
          }
        }
        <helk-dataset-checks data-at="checks" tabindex="-1" [item]="d" [about]="true" (left)="ref.close()" />
        <div class="flex flex-wrap gap-2 pt-1 items-center">
          <span class="text-ink-2">Save as</span>
          <select
            (change)="format.set($any($event.target).value)"
            aria-label="Format"
            data-testid="format"
            data-at="save"
          >
            @for (f of formats(); track f.id) {
              <option [value]="f.id" [selected]="f.id === chosen()">{{ f.title }}</option>
            }
          </select>
          <a class="btn btn-act" [href]="url(chosen())" [attr.download]="''">Save</a>
          <span class="flex-1"></span>
          <button class="btn" (click)="ref.close()">Close</button>
        </div>
        @if (losses().length) {
          <ul class="text-[12.5px] text-look list-disc pl-5" data-testid="losses">
            @for (l of losses(); track l) {
              <li>{{ l }}</li>
            }
          </ul>
        }
      </div>
    }
  `,
})
export class DatasetCard {
  private readonly id = inject<string>(DIALOG_DATA);
  protected readonly ref = inject(DialogRef);
  protected readonly store = inject(ProjectStore);
  private readonly api = inject(Api);
  protected readonly telling = inject(Telling);
  protected readonly bench = inject(BenchStore);
  protected readonly item = computed(() => this.store.datasetEntityMap()[this.id]);
  private readonly scenes = inject(Scenes);
  protected readonly scene = computed(() => {
    const d = this.item();
    return d !== undefined && this.scenes.is(d);
  });
  protected readonly anew = inject(Anew);
  protected readonly stale = computed(() => this.anew.words(this.id));
  protected readonly placed = computed(() => {
    const d = this.item();
    return d ? kindOf(d.info).placed : false;
  });
  protected readonly system = computed(() => {
    const d = this.item();
    return d ? crsOf(d.info) : null;
  });
  protected readonly place = computed(() => placeOfExtent(this.store.crs(), this.store.extent()));
  private readonly threads = computed(() => threadsOf(this.store.datasetEntities(), this.store.runEntityMap()));
  protected readonly thread = computed(() =>
    this.threads().find((t) => t.rows.some((r) => r.items.some((d) => d.id === this.id))),
  );
  protected readonly names = computed(() =>
    this.threads()
      .filter((t) => t.named)
      .map((t) => t.title),
  );
  protected readonly likely = computed(() => {
    const d = this.item();
    const others = this.store.datasetEntities().filter((o) => o.id !== d?.id);
    // One that is where it should be needs no advice.
    return d && (!this.system() || d.checks.some((c) => c.code === 'crs.implausible'))
      ? likelySystems(
          d.info,
          others.map((o) => o.info),
        ).filter((c) => c.code)
      : [];
  });
  protected readonly givenUnit = computed(() => {
    const d = this.item();
    return d ? givenUnit(d) : null;
  });
  protected readonly needsUnit = computed(() => {
    const i = this.item()?.info;
    return i !== undefined && (kindOf(i).lacksUnit(i) || this.givenUnit() !== null);
  });
  /** The unit that its name ends in, while none is known. */
  protected readonly namedUnit = computed(() => {
    const d = this.item();
    return d && this.givenUnit() === null ? unitInName(d.name) : null;
  });
  protected readonly formats = computed(() => {
    const d = this.item();
    return d ? kindOf(d.info).formats.map((id) => ({ id: id as string, title: WRITE_FORMATS[id].title })) : [];
  });

  protected readonly format = signal<string | null>(null);
  protected readonly chosen = computed(() => this.format() ?? this.formats()[0]?.id ?? '');
  /** What the chosen format cannot keep. */
  protected readonly losses = computed(() => {
    const d = this.item();
    return d && this.chosen() ? lossesOf(d.info, this.chosen() as WriteFormat) : [];
  });

  protected readonly facts = computed(() => {
    const d = this.item();
    if (!d) return [];
    const { info } = d;
    const out: { name: string; value: string }[] = [];
    const put = (name: string, value: string | null | undefined): void => {
      if (value) out.push({ name, value });
    };
    const crs = crsOf(info);
    const kind = kindOf(info);
    if (kind.placed) put('System', crs ? systemWords(crs) : 'not known');
    out.push(...kind.details(info));
    if (d.source) {
      put('File', `${d.source.file}, ${formatBytes(d.source.bytes)}, ${d.source.format}`);
      put('Fingerprint', `SHA-256 ${d.source.sha256.slice(0, 16)}…`);
    }
    const run = this.store.madeBy(d);
    if (run && run.method !== 'import') {
      const whole = d.runId ? this.store.runEntityMap()[d.runId] : undefined;
      if (d.step && whole) put('Recipe', `${whole.title}, version ${whole.version}, step ${d.step}`);
      put('Made by', `${run.title} (${run.method}, version ${run.version})`);
      put(
        'From',
        Object.entries(run.inputs)
          .map(([role, ids]) => `${role}: ${ids.map((i) => namedInput(i, this.store.datasetEntityMap())).join(', ')}`)
          .join('; '),
      );
      put(
        'Settings',
        Object.entries(run.params)
          .map(([k, v]) => `${k} = ${String(v)}`)
          .join(', ') || 'none',
      );
      for (const f of figuresOf(run, this.store)) put(f.label, f.text);
    }
    put('Since', momentText(d.createdAt));
    return out;
  });

  /** Only the line that this dataset stands in changes its name: it can be taken out of others of the same. */
  protected callThread(name: string): void {
    const rows = this.thread()?.rows ?? [];
    const at = rows.findIndex((r) => r.items.some((d) => d.id === this.id));
    const root = rows.slice(0, at + 1).findLast((r) => r.root);
    if (root) void this.telling.thread(root.items, name.trim());
  }

  /** What has taken its place. */
  protected readonly newer = computed(() => {
    const d = this.item();
    return d?.replacedBy ? this.store.datasetEntityMap()[d.replacedBy]?.name : undefined;
  });

  protected replace(d: DatasetItem, field: HTMLInputElement): void {
    const [f] = field.files ?? [];
    field.value = '';
    if (f) void this.anew.replace(d, f);
  }

  protected url(format: string): string {
    return this.api.exportUrl(this.store.project()!.id, this.id, format);
  }

  protected rename(field: HTMLInputElement): void {
    const [name, d] = [field.value.trim(), this.item()];
    if (name && d) void this.telling.name(d, name);
    else field.value = d?.name ?? '';
  }

  /** Data stay as they are; only what is said of them changes, as often as it has to. */
  protected giveSystem(crs: string): void {
    const d = this.item();
    if (crs.trim() && d) void this.telling.system([d], crs.trim());
  }

  protected setUnit(unit: string): void {
    const d = this.item();
    if (d && unit.trim() !== (this.givenUnit() ?? '')) void this.telling.unit([d], unit.trim());
  }
}
