import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { kindOf, type InputSpec, type MethodDescription, type ParamSpec } from '@helk/core';
import {
  addStep,
  canMove,
  changeStep,
  moveStep,
  offersFor,
  removeStep,
  renameInput,
  repeatStep,
  toggleKept,
  wire,
} from '@helk/core/recipe/edit';
import { allFroms, dependants } from '@helk/core/recipe/links';
import { openSettings } from '@helk/core/recipe/settings';
import { fromsOf, withoutBand, type Recipe, type Step } from '@helk/core/recipe/shape';
import { Api } from '../api/api';
import { CopyMenu } from '../parts/copy-menu';
import { ICONS } from '../parts/icons';
import { Copier } from '../state/copies';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { Tables } from '../state/tables';
import { chipsOf } from './chips';
import { Flow, type FlowNode } from './flow';
import { NextStep } from './next-step';
import { SettingEditor } from './setting-editor';
import { StepRow } from './step-row';

const NEW = '+';

/** A recipe as a written procedure that is read, changed, checked and run. */
@Component({
  selector: 'helk-recipe-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CopyMenu, Flow, NextStep, NgIcon, SettingEditor, StepRow],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './recipe-view.html',
  host: { class: 'grid grid-cols-[minmax(0,1fr)_276px] min-h-0 min-w-0', 'data-testid': 'recipe-view' },
})
export class RecipeView {
  protected readonly desk = inject(Desk);
  protected readonly tables = inject(Tables);
  private readonly store = inject(ProjectStore);
  private readonly api = inject(Api);
  private readonly copier = inject(Copier);
  protected readonly editing = signal<{ step: string; setting: string } | null>(null);
  protected readonly adding = signal<{ from: string | null } | null>(null);
  protected readonly removing = signal<string | null>(null);
  private readonly whole = signal<ReadonlySet<string>>(new Set());
  protected readonly recipe = computed(() => this.desk.recipe()!);
  protected readonly entry = computed(() => this.desk.entry()!);
  protected readonly checks = computed(() => this.desk.looked()?.checks ?? []);
  protected readonly general = computed(() => this.checks().filter((c) => c.step === null));
  protected readonly broken = computed(() => this.checks().some((c) => c.level === 'refused'));
  protected readonly ran = computed(
    () => this.store.runEntities().filter((r) => r.method === `recipe:${this.entry().id}` && r.state === 'done').length,
  );
  protected readonly summary = computed(() => {
    const r = this.recipe();
    const n = r.steps.length;
    const times = this.ran();
    return [
      r.about,
      `${n} ${n === 1 ? 'step' : 'steps'}, ${r.keep.length} kept`,
      times ? `ran ${times === 1 ? 'once' : `${times} times`}` : 'never ran',
    ]
      .filter(Boolean)
      .join(' · ');
  });
  protected readonly goesIn = computed(() =>
    this.recipe().inputs.map((i) => {
      const spec = (this.desk.looked()?.method as MethodDescription | null | undefined)?.inputs[i.name];
      const asks = [
        i.many
          ? `${kindOf(i).words.many}, ${spec?.least === 1 || !spec ? 'one' : String(spec.least)} or more`
          : kindOf(i).words.one,
        spec?.geometry ? `of ${spec.geometry}s` : '',
        spec?.unit ?? '',
        spec?.band === 'category' ? 'classes' : '',
        spec?.least === 0 ? 'may be left out' : '',
      ].filter(Boolean);
      return {
        ...i,
        asks: asks.join(', '),
        read: this.recipe().steps.some((s) => allFroms(s).some((f) => withoutBand(f) === i.name)),
      };
    }),
  );
  protected readonly steps = computed(() => {
    const r = this.recipe();
    return r.steps.map((s, k) => {
      const m = this.desk.library().get(s.method);
      const all = m ? chipsOf(s, m.params, true) : [];
      const few = m ? chipsOf(s, m.params) : [];
      const open = this.whole().has(s.id);
      return {
        s,
        m,
        words: s.title ?? m?.title ?? s.method,
        trade: s.title ? (m?.title ?? s.method) : (m?.question ?? ''),
        chips: open ? all : few,
        more: all.length > few.length ? (open ? -1 : all.length - few.length) : null,
        makes: Object.entries(m?.outputs ?? {}).map(([role, o]) => ({
          role,
          name: s.makes?.[role] ?? o.label,
          kept: r.keep.includes(`${s.id}.${role}`),
          dataset: null,
        })),
        roles: Object.entries(m?.inputs ?? {}).map(([role, spec]) => this.roleOf(r, s, k, role, spec)),
        checks: this.checks().filter((c) => c.step === s.id),
        editing: this.editing()?.step === s.id ? this.editing()!.setting : null,
        up: canMove(r, s.id, -1),
        down: canMove(r, s.id, 1),
        goes: dependants(r, s.id).slice(1),
      };
    });
  });
  protected readonly flow = computed((): FlowNode[] => {
    const r = this.recipe();
    return [
      ...r.inputs.map((i): FlowNode => ({
        id: i.name,
        label: i.label || i.name,
        kind: 'input',
        kept: false,
        from: [],
      })),
      ...r.steps.map((s): FlowNode => ({
        id: s.id,
        label: s.title ?? this.desk.library().get(s.method)?.title ?? s.method,
        kind: 'step',
        kept: r.keep.some((k) => k.startsWith(`${s.id}.`)),
        from: allFroms(s).map((f) => f.split(/[.#]/)[0]!),
      })),
    ];
  });

  private roleOf(r: Recipe, s: Step, k: number, role: string, spec: InputSpec) {
    const froms = fromsOf(s.inputs[role]);
    return {
      role,
      spec,
      label: spec.label.toLowerCase(),
      froms,
      offers: offersFor(r, this.desk.library(), k, spec),
      open: spec.many || !froms.length,
    };
  }

  protected change(id: string, how: (s: Step) => Step): void {
    this.desk.change((r) => changeStep(r, id, how));
  }

  protected describe(patch: Partial<Pick<Recipe, 'title' | 'question' | 'about'>>): void {
    this.desk.change((r) => {
      const next = { ...r, ...patch };
      if (!next.question) delete next.question;
      return next.title.trim() ? next : r;
    });
  }

  protected call(id: string, field: 'title' | 'note', text: string): void {
    this.change(id, ({ [field]: _, ...s }) => (text.trim() ? { ...s, [field]: text.trim() } : s));
  }

  protected label(name: string, label: string): void {
    this.desk.change((r) => ({ ...r, inputs: r.inputs.map((i) => (i.name === name ? { ...i, label } : i)) }));
  }

  protected rename(name: string, field: HTMLInputElement): void {
    this.desk.change((r) => renameInput(r, name, field.value));
    field.value = name;
  }

  protected pick(step: string, setting: string): void {
    const e = this.editing();
    this.editing.set(e?.step === step && e.setting === setting ? null : { step, setting });
  }

  protected specOf = (m: MethodDescription | undefined, name: string): ParamSpec | undefined => m?.params[name];

  protected isOpen = (s: Step, m: MethodDescription, name: string): boolean => openSettings(s, m.params).includes(name);

  protected given = (s: Step, name: string): string => {
    const v = s.params[name];
    return v === undefined || v === null ? '' : Array.isArray(v) ? v.join(', ') : String(v);
  };

  protected put(id: string, name: string, value: string): void {
    this.change(id, (s) => {
      const { [name]: _, ...rest } = s.params;
      return { ...s, params: value.trim() ? { ...rest, [name]: value.trim() } : rest };
    });
  }

  protected offer(s: Step, m: MethodDescription, name: string): void {
    const open = openSettings(s, m.params);
    this.change(s.id, (x) => ({ ...x, open: open.includes(name) ? open.filter((n) => n !== name) : [...open, name] }));
  }

  protected keep(made: string): void {
    this.desk.change((r) => toggleKept(r, made));
  }

  /** What stands in a role from now on; of several the one in that place. */
  protected wire(s: Step, role: string, spec: InputSpec, at: number, field: HTMLSelectElement): void {
    const from = field.value;
    const before = [...fromsOf(s.inputs[role])];
    if (from === NEW) {
      this.desk.change((r) => wire(r, s.id, role, null, spec));
      return;
    }
    if (at < before.length) before.splice(at, 1, ...(from ? [from] : []));
    else if (from) before.push(from);
    this.desk.change((r) => wire(r, s.id, role, before, spec));
    if (at >= before.length) field.value = '';
  }

  protected add(m: MethodDescription): void {
    const from = this.adding()?.from ?? null;
    this.desk.change((r) => addStep(r, this.desk.library(), m, from));
    this.adding.set(null);
  }

  protected move(id: string, by: -1 | 1): void {
    this.desk.change((r) => moveStep(r, id, by));
  }

  protected again(id: string): void {
    this.desk.change((r) => repeatStep(r, id));
  }

  protected remove(id: string): void {
    this.desk.change((r) => removeStep(r, id));
    this.removing.set(null);
  }

  protected toggle(id: string): void {
    const next = new Set(this.whole());
    if (!next.delete(id)) next.add(id);
    this.whole.set(next);
  }

  protected readonly copies = computed(() => this.copier.recipe(this.entry().id));

  protected url(): string {
    return this.api.recipeUrl(this.store.project()!.id, this.entry().id);
  }

  protected readonly saved = (at: string): string => at.slice(0, 16).replace('T', ' ');

  protected readonly NEW = NEW;
}
