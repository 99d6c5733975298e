import { commonName, kindOf, systemOf, systemText } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import { madeBy } from './made-by';
import { nameSets } from './name-sets';
import type { DatasetItem } from './project.store';

/** A row of the ledger: a dataset, or sources that were taken in together and are alike. */
export interface LedgerRow {
  key: string;
  items: DatasetItem[];
  depth: number;
  /** Whether the line goes on below it at its depth. */
  more: boolean;
  /** Whether a thread begins with it. */
  root: boolean;
  source: boolean;
}

export interface Thread {
  key: string;
  title: string;
  /** Whether the title was given; else it is the name of what it begins with. */
  named: boolean;
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
  const there = Object.fromEntries(datasets.map((d) => [d.id, d]));
  const nodes = new Map<string, Node>();
  const nodeOf = new Map<string, Node>();
  const setOf = sets(datasets);
  for (const d of datasets) {
    const key = setOf.get(d.id)!;
    let n = nodes.get(key);
    if (!n) nodes.set(key, (n = { key, items: [], parent: null, children: [], size: 1 }));
    n.items.push(d);
    nodeOf.set(d.id, n);
  }
  const roots: Node[] = [];
  for (const n of nodes.values()) {
    const [item] = n.items;
    const run = madeBy(item, runs, there);
    const from = (inputs: ApiRun['inputs']): Node | undefined =>
      datasetsIn(inputs)
        .map((id) => nodeOf.get(id))
        .find((p) => p && p !== n);
    // Of a recipe's results those stand below each other that were kept; the first below what went in.
    const first =
      run && run.method !== 'import'
        ? (from(run.inputs) ?? (item!.step ? from(runs[item!.runId!]!.inputs) : undefined))
        : undefined;
    if (first) {
      n.parent = first;
      first.children.push(n);
    } else roots.push(n);
  }
  const weigh = (n: Node): number => (n.size = 1 + n.children.reduce((s, c) => s + weigh(c), 0));
  const threads = new Map<string, Thread>();
  for (const root of roots) {
    weigh(root);
    // Threads of one name stand together, where the first of them stands.
    const name = root.items.find((d) => d.thread)?.thread ?? null;
    const key = name === null ? root.key : `named/${name}`;
    const thread = threads.get(key) ?? { key, title: name ?? titleOf(root.items), named: name !== null, rows: [] };
    threads.set(key, thread);
    const { rows } = thread;
    const walk = (n: Node, depth: number): void => {
      const main = n.children.reduce<Node | null>((best, c) => (!best || c.size > best.size ? c : best), null);
      rows.push({
        key: n.key,
        items: n.items,
        depth,
        more: main !== null,
        root: n === root,
        source: n.items[0]!.source !== null,
      });
      for (const c of n.children) if (c !== main) walk(c, depth + 1);
      if (main) walk(main, depth);
    };
    walk(root, 0);
  }
  return [...threads.values()];
}

/** The datasets that a thread of the ledger, or the one that a dataset stands in, begins with. */
export const beginningsOf = (t: Thread): DatasetItem[] => t.rows.filter((r) => r.root).flatMap((r) => r.items);

/** What makes sources of one drop alike: tiles of one survey are, points and areas of one file are not. */
function makeOf({ info }: DatasetItem): string {
  const system = systemOf(info);
  return JSON.stringify([
    // What it is, without how large it is.
    kindOf(info).make(info),
    system && systemText(system),
  ]);
}

/** The set that each dataset stands in, by id: what one run table made, and sources of one make and name that were taken in together. */
function sets(datasets: readonly DatasetItem[]): Map<string, string> {
  const keys = new Map<string, string>();
  const taken = new Map<string, DatasetItem[]>();
  for (const d of datasets) {
    if (!d.batch) {
      keys.set(d.id, d.id);
      continue;
    }
    const key = `${d.batch}/${d.step ?? ''}/${d.role ?? ''}/${makeOf(d)}`;
    keys.set(d.id, key);
    if (!d.source) continue;
    const there = taken.get(key);
    if (there) there.push(d);
    else taken.set(key, [d]);
  }
  for (const [key, items] of taken) {
    // The name of the file, which does not change when an analyst finds a better one for what is in it.
    const numbers = nameSets(items.map((d) => d.source!.file.replace(/\.[^.]*$/, '')));
    items.forEach((d, i) => keys.set(d.id, `${key}/${numbers[i]}`));
  }
  return keys;
}

/** What names of datasets share; where they share nothing, the first of them. */
export function titleOf(items: readonly DatasetItem[]): string {
  const names = items.map((d) => d.name);
  return commonName(names) ?? `${names[0]} and ${names.length - 1} more`;
}
