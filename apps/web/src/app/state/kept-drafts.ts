import { signal } from '@angular/core';

/** How long after the last change something is kept, ms. */
const KEEP = 500;
const MOST_BACK = 200;

interface Draft<T> {
  now: T;
  before: T[];
  after: T[];
  /** What the last change was of: changes of one kind that follow each other are taken back as one. */
  of: string | null;
}

/** Things that are being changed: as they are now, how they were before each change, and kept when nothing has changed for a moment. */
export class KeptDrafts<T> {
  private readonly drafts = signal<Readonly<Record<string, Draft<T>>>>({});
  private readonly timers = new Map<string, ReturnType<typeof setTimeout>>();

  /** @param keep stores one; @param changed told of each new state */
  constructor(
    private readonly keep: (id: string, now: T) => Promise<void>,
    private readonly changed: (now: T) => void = () => undefined,
  ) {}

  now(id: string): T | undefined {
    return this.drafts()[id]?.now;
  }

  canUndo(id: string): boolean {
    return (this.drafts()[id]?.before.length ?? 0) > 0;
  }

  canRedo(id: string): boolean {
    return (this.drafts()[id]?.after.length ?? 0) > 0;
  }

  /** @param of changes that go on with the last one of that name are taken back with it */
  change(id: string, now: T, how: (t: T) => T, of: string | null = null): void {
    const next = how(now);
    if (next === now) return;
    const d = this.drafts()[id] ?? { now, before: [], after: [], of: null };
    const goesOn = of !== null && d.of === of;
    this.put(id, { now: next, before: goesOn ? d.before : [...d.before, now].slice(-MOST_BACK), after: [], of });
  }

  /** What comes next is a change of its own. */
  settle(id: string): void {
    const d = this.drafts()[id];
    if (d?.of) this.drafts.update((all) => ({ ...all, [id]: { ...d, of: null } }));
  }

  undo(id: string): void {
    const d = this.drafts()[id];
    const last = d?.before.at(-1);
    if (d && last !== undefined)
      this.put(id, { now: last, before: d.before.slice(0, -1), after: [d.now, ...d.after], of: null });
  }

  redo(id: string): void {
    const d = this.drafts()[id];
    const [next, ...rest] = d?.after ?? [];
    if (d && next !== undefined) this.put(id, { now: next, before: [...d.before, d.now], after: rest, of: null });
  }

  clear(): void {
    this.drafts.set({});
  }

  private put(id: string, draft: Draft<T>): void {
    this.drafts.update((all) => ({ ...all, [id]: draft }));
    this.changed(draft.now);
    clearTimeout(this.timers.get(id));
    this.timers.set(
      id,
      setTimeout(() => {
        const d = this.drafts()[id];
        if (d) void this.keep(id, d.now);
      }, KEEP),
    );
  }
}
