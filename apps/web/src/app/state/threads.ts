import type { ApiRun } from '@helk/core/api/schemas';
import type { DatasetItem } from './project.store';

/** A row of the ledger: a dataset, or sources that were taken in together and are alike. */
export interface LedgerRow {
  key: string;
  items: DatasetItem[];
  depth: number;
  /** Whether the line goes on below it at its depth. */
  more: boolean;
  source: boolean;
}

export interface Thread {
  key: string;
  title: string;
  rows: LedgerRow[];
}

interface Node {
  key: string;
  items: DatasetItem[];
  parent: Node | null;
  children: Node[];
  size: number;
}

/**
 * The ledger as threads: each source (or set of alike sources) with what was derived from it below, in the order of making.
 * The child with the most behind it carries the line on; the others step in as branches.
 */
export function threadsOf(datasets: DatasetItem[], runs: Record<string, ApiRun>): Thread[] {
  const nodes = new Map<string, Node>();
  const nodeOf = new Map<string, Node>();
  for (const d of datasets) {
    const key = d.batch && d.source ? `${d.batch}/${d.kind}` : d.id;
    let n = nodes.get(key);
    if (!n) nodes.set(key, (n = { key, items: [], parent: null, children: [], size: 1 }));
    n.items.push(d);
    nodeOf.set(d.id, n);
  }
  const roots: Node[] = [];
  for (const n of nodes.values()) {
    const run = n.items[0]!.runId ? runs[n.items[0]!.runId] : undefined;
    const first =
      run && run.method !== 'import'
        ? Object.values(run.inputs)
            .flat()
            .map((id) => nodeOf.get(id))
            .find((p) => p && p !== n)
        : undefined;
    if (first) {
      n.parent = first;
      first.children.push(n);
    } else roots.push(n);
  }
  const weigh = (n: Node): number => (n.size = 1 + n.children.reduce((s, c) => s + weigh(c), 0));
  return roots.map((root) => {
    weigh(root);
    const rows: LedgerRow[] = [];
    const walk = (n: Node, depth: number): void => {
      const main = n.children.reduce<Node | null>((best, c) => (!best || c.size > best.size ? c : best), null);
      rows.push({ key: n.key, items: n.items, depth, more: main !== null, source: n.items[0]!.source !== null });
      for (const c of n.children) if (c !== main) walk(c, depth + 1);
      if (main) walk(main, depth);
    };
    walk(root, 0);
    return { key: root.key, title: titleOf(root.items), rows };
  });
}

/** What alike names share at their beginning: `veyra-elevation-nw`, `…-se` -> `veyra-elevation`. */
export function titleOf(items: DatasetItem[]): string {
  const names = items.map((d) => d.name);
  if (names.length === 1) return names[0]!;
  let common = names[0]!;
  for (const n of names) while (!n.startsWith(common)) common = common.slice(0, -1);
  return common.replace(/[-_ .]+\w?$/, '').trim() || names[0]!;
}
