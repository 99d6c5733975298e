import { computed, Injectable, signal } from '@angular/core';

/** Something that was done and can be taken back. */
export interface Change {
  /** What was done, as in “Taken back: …”. */
  words: string;
  undo: () => void | Promise<void>;
  /** Absent where it can be taken back, but not done again. */
  redo?: () => void | Promise<void>;
  /** Changes of one name that follow each other closely are one: a slider that is dragged, a name that is typed. */
  of?: string;
}

/** How long after the last one a change goes on with it, ms. */
const CLOSE = 1200;
const MOST = 100;

/**
 * What was done to the project in this tab, so that it can be taken back and done again: names, drawing, order, what is shown, removal.
 * Sheets, reports and recipes keep changes of their own, while they are being written.
 */
@Injectable({ providedIn: 'root' })
export class Changes {
  private readonly before = signal<readonly Change[]>([]);
  private readonly after = signal<readonly Change[]>([]);
  private last = -Infinity;
  /** Something is being taken back, or done again. */
  private under = false;
  private going: Promise<string | null> = Promise.resolve(null);

  readonly next = computed(() => this.before().at(-1)?.words ?? null);
  readonly again = computed(() => this.after().at(-1)?.words ?? null);

  done(change: Change): void {
    // What taking back does is no change of its own.
    if (this.under) return;
    const now = performance.now();
    const was = this.before().at(-1);
    const goesOn = change.of !== undefined && was?.of === change.of && now - this.last < CLOSE;
    this.last = now;
    this.before.update((b) =>
      goesOn ? [...b.slice(0, -1), { ...change, undo: was!.undo }] : [...b, change].slice(-MOST),
    );
    this.after.set([]);
  }

  /** Takes the last change back. @returns what it was; null where there is none */
  undo(): Promise<string | null> {
    return this.later(() => this.go(this.before().at(-1), this.before, this.after, (c) => c.undo));
  }

  /** Does the last that was taken back again. */
  redo(): Promise<string | null> {
    return this.later(() => this.go(this.after().at(-1), this.after, this.before, (c) => c.redo));
  }

  /** Takes one change back, whatever was done since. */
  async back(change: Change): Promise<void> {
    await this.later(() => {
      const last = this.before().at(-1) === change;
      const there = this.before().includes(change) ? change : undefined;
      return this.go(there, this.before, last ? this.after : null, (c) => c.undo);
    });
  }

  clear(): void {
    this.before.set([]);
    this.after.set([]);
  }

  /** One after the other: a key that is held must not overtake what it began. */
  private later(work: () => Promise<string | null>): Promise<string | null> {
    const next = this.going.then(work);
    this.going = next.catch(() => null);
    return next;
  }

  private async go(
    change: Change | undefined,
    from: typeof this.before,
    to: typeof this.before | null,
    how: (c: Change) => Change['redo'],
  ): Promise<string | null> {
    if (!change) return null;
    this.under = true;
    this.last = -Infinity;
    from.update((all) => all.filter((c) => c !== change));
    try {
      await how(change)?.();
      if (change.redo) to?.update((all) => [...all, change]);
      return change.words;
    } finally {
      this.under = false;
    }
  }
}
