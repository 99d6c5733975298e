import { ChangeDetectionStrategy, Component, effect, input, signal } from '@angular/core';
import type { ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api';

/** Something that stands in the flow: what goes in, or what a step makes. */
export interface FlowNode {
  id: string;
  label: string;
  kind: 'input' | 'step';
  kept: boolean;
  from: string[];
}

interface Drawn {
  width: number;
  height: number;
  nodes: (FlowNode & { x: number; y: number })[];
  edges: { id: string; d: string }[];
}

const DOT = 12;
const LETTER = 6.4;
const LONGEST = 22;

/** The flow as a small traverse line, for reading only; laid out by ELK (layered, after Sugiyama). */
@Component({
  selector: 'helk-flow',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (drawn(); as d) {
      <svg
        [attr.viewBox]="'0 0 ' + d.width + ' ' + d.height"
        [attr.width]="d.width"
        [attr.height]="d.height"
        class="max-w-full h-auto block"
        role="img"
        [attr.aria-label]="words()"
        data-testid="flow"
      >
        @for (e of d.edges; track e.id) {
          <path [attr.d]="e.d" fill="none" stroke="var(--ink-3)" stroke-opacity="0.55" stroke-width="1.4" />
        }
        @for (n of d.nodes; track n.id) {
          @if (n.kind === 'input') {
            <rect [attr.x]="n.x" [attr.y]="n.y" width="12" height="12" fill="var(--ink-2)" rx="1.5" />
          } @else {
            <circle
              [attr.cx]="n.x + 6"
              [attr.cy]="n.y + 6"
              r="6"
              [attr.fill]="n.kept ? 'var(--act)' : 'var(--paper)'"
              [attr.stroke]="n.kept ? 'var(--act)' : 'var(--ink-2)'"
              stroke-width="1.6"
            />
          }
          <text
            [attr.x]="n.x + 18"
            [attr.y]="n.y + 10"
            font-size="12"
            fill="var(--ink)"
            [attr.font-weight]="n.kept ? 600 : 450"
          >
            {{ cut(n.label) }}
            <title>{{ n.label }}</title>
          </text>
        }
      </svg>
    }
  `,
})
export class Flow {
  readonly nodes = input.required<readonly FlowNode[]>();
  protected readonly drawn = signal<Drawn | null>(null);

  constructor() {
    effect((done) => {
      const nodes = this.nodes();
      let there = true;
      done(() => (there = false));
      void layOut(nodes).then((d) => there && this.drawn.set(d));
    });
  }

  protected readonly cut = (s: string): string => (s.length > LONGEST ? `${s.slice(0, LONGEST - 1)}…` : s);

  /** The picture in words, for those who do not see it. */
  protected words(): string {
    const label = new Map(this.nodes().map((n) => [n.id, n.label]));
    return `How it flows: ${this.nodes()
      .filter((n) => n.kind === 'step')
      .map((n) => `${n.label} from ${n.from.map((f) => label.get(f) ?? f).join(' and ') || 'nothing'}`)
      .join('; ')}`;
  }
}

async function layOut(nodes: readonly FlowNode[]): Promise<Drawn> {
  const { default: Elk } = await import('elkjs/lib/elk.bundled.js');
  const ids = new Set(nodes.map((n) => n.id));
  const edges = nodes.flatMap((n) =>
    [...new Set(n.from)].filter((f) => ids.has(f)).map((f) => ({ id: `${f} ${n.id}`, sources: [f], targets: [n.id] })),
  );
  const wide = (n: FlowNode): number => DOT + 10 + Math.min(n.label.length, LONGEST) * LETTER;
  const asked: ElkNode = {
    id: 'flow',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'DOWN',
      'elk.edgeRouting': 'SPLINES',
      'elk.spacing.nodeNode': '10',
      'elk.layered.spacing.nodeNodeBetweenLayers': '30',
      'elk.padding': '[top=4,left=4,bottom=4,right=4]',
      'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
    },
    children: nodes.map((n) => ({
      id: n.id,
      width: wide(n),
      height: DOT,
      // Lines begin and end at the mark, not at the middle of its name.
      layoutOptions: { 'elk.portConstraints': 'FIXED_POS' },
      ports: [
        { id: `${n.id}:in`, x: DOT / 2, y: 0, width: 0, height: 0 },
        { id: `${n.id}:out`, x: DOT / 2, y: DOT, width: 0, height: 0 },
      ],
    })),
    edges: edges.map((e) => ({ id: e.id, sources: [`${e.sources[0]}:out`], targets: [`${e.targets[0]}:in`] })),
  };
  const graph: ElkNode = await new Elk().layout(asked);
  const at = new Map((graph.children ?? []).map((c: ElkNode) => [c.id, c]));
  return {
    width: Math.ceil(graph.width ?? 0),
    height: Math.ceil(graph.height ?? 0),
    nodes: nodes.map((n) => ({ ...n, x: at.get(n.id)?.x ?? 0, y: at.get(n.id)?.y ?? 0 })),
    edges: (graph.edges ?? []).map((e: ElkExtendedEdge) => ({ id: e.id, d: pathOf(e) })),
  };
}

/** Splines as ELK gives them: a start, then control points three by three. */
function pathOf(e: ElkExtendedEdge): string {
  const s = e.sections?.[0];
  if (!s) return '';
  const all = [...(s.bendPoints ?? []), s.endPoint];
  let d = `M${s.startPoint.x} ${s.startPoint.y}`;
  for (let k = 0; k < all.length;) {
    const left = all.length - k;
    const n = left >= 3 ? 3 : left;
    const letter = n === 3 ? 'C' : n === 2 ? 'Q' : 'L';
    d += ` ${letter}${all
      .slice(k, k + n)
      .map((p) => `${p.x} ${p.y}`)
      .join(' ')}`;
    k += n;
  }
  return d;
}
