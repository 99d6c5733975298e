import {
  autocompletion,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { EditorState, StateEffect, StateField } from '@codemirror/state';
import { Decoration, EditorView, keymap, placeholder, tooltips, type DecorationSet } from '@codemirror/view';
import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  output,
  untracked,
  viewChild,
} from '@angular/core';
import { FormulaError, FUNCTIONS, GEOMETRY_FUNCTIONS, parseFormula } from '@helk/core/formula/parse';

export interface FormulaName {
  name: string;
  /** What it is and in which unit. */
  detail: string;
}

const setSpot = StateEffect.define<{ from: number; to: number } | null>();
const spotMark = Decoration.mark({ class: 'formula-spot' });
const spotField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update: (held, tr) => {
    for (const e of tr.effects)
      if (e.is(setSpot)) return e.value ? Decoration.set([spotMark.range(e.value.from, e.value.to)]) : Decoration.none;
    return held.map(tr.changes);
  },
  provide: (f) => EditorView.decorations.from(f),
});

/** A formula with completion of names and functions; the spot of an error is marked as one types. */
@Component({
  selector: 'helk-formula-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block' },
  template: `<div #host class="formula-field" [class.wrong]="wrong()"></div>`,
})
export class FormulaField {
  readonly value = input.required<string>();
  readonly names = input<FormulaName[]>([]);
  readonly label = input('Formula');
  readonly hint = input('');
  readonly wrong = input(false);
  /** Whether functions of texts and geometry are offered. */
  readonly geometry = input(false);
  readonly changed = output<string>();
  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private view: EditorView | null = null;

  constructor() {
    effect(() => {
      const el = this.host().nativeElement;
      this.view ??= untracked(() => this.make(el));
    });
    effect(() => {
      const text = this.value();
      const v = this.view;
      if (v && v.state.doc.toString() !== text)
        v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: text } });
    });
    inject(DestroyRef).onDestroy(() => this.view?.destroy());
  }

  private make(parent: HTMLElement): EditorView {
    return new EditorView({
      parent,
      state: EditorState.create({
        doc: this.value(),
        extensions: [
          history(),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          autocompletion({ override: [(c) => this.complete(c)], icons: false }),
          tooltips({ parent: document.body, position: 'fixed' }),
          EditorView.lineWrapping,
          placeholder(this.hint()),
          spotField,
          EditorView.contentAttributes.of({ 'aria-label': this.label(), spellcheck: 'false' }),
          EditorView.updateListener.of((u) => {
            if (!u.docChanged) return;
            const text = u.state.doc.toString();
            if (text !== this.value()) this.changed.emit(text);
            queueMicrotask(() => this.mark(text));
          }),
        ],
      }),
    });
  }

  private mark(text: string): void {
    const v = this.view;
    if (!v || v.state.doc.toString() !== text) return;
    let spot: { from: number; to: number } | null = null;
    if (text.trim()) {
      try {
        parseFormula(text);
      } catch (e) {
        if (e instanceof FormulaError && text.length) {
          const from = Math.min(e.at, text.length - 1);
          spot = {
            from,
            to: Math.min(text.length, from + Math.max(1, /^\w+/.exec(text.slice(from))?.[0].length ?? 1)),
          };
        }
      }
    }
    v.dispatch({ effects: setSpot.of(spot) });
  }

  private complete(c: CompletionContext): CompletionResult | null {
    const word = c.matchBefore(/\[[^\]]*|[\p{L}_$][\p{L}\d_$]*/u);
    if (!word && !c.explicit) return null;
    const plain = /^[\p{L}_$][\p{L}\d_$]*$/u;
    return {
      from: word?.from ?? c.pos,
      options: [
        ...this.names().map((n) => ({
          label: plain.test(n.name) ? n.name : `[${n.name}]`,
          detail: n.detail,
          boost: 2,
        })),
        ...Object.entries(FUNCTIONS)
          .filter(([f]) => this.geometry() || !(f in GEOMETRY_FUNCTIONS || ['text', 'lower', 'upper'].includes(f)))
          .map(([f, [least]]) => ({
            label: f,
            apply: least === 0 && f in GEOMETRY_FUNCTIONS && GEOMETRY_FUNCTIONS[f]![1] === '' ? `${f}()` : `${f}(`,
            detail: f in GEOMETRY_FUNCTIONS && GEOMETRY_FUNCTIONS[f]![1] ? `(${GEOMETRY_FUNCTIONS[f]![1]})` : '( … )',
          })),
      ],
    };
  }
}
