import { inject, Injectable } from '@angular/core';
import { kindOf, systemOf, systemText } from '@helk/core';
import { Changes } from './changes';
import { ProjectStore, type DatasetItem } from './project.store';

/** What can be said of a dataset without changing its data. */
interface Said {
  name?: string;
  note?: string;
  thread?: string;
  unit?: string;
  crs?: string;
}
interface Change {
  id: string;
  now: Said;
  was: Said;
}

/** What analysts say of datasets: names, notes, threads, units and systems, of one or of many at once; all of it can be taken back. */
@Injectable({ providedIn: 'root' })
export class Telling {
  private readonly project = inject(ProjectStore);
  private readonly changes = inject(Changes);

  async name(d: DatasetItem, name: string): Promise<void> {
    if (name !== d.name)
      await this.tell([{ id: d.id, now: { name }, was: { name: d.name } }], `“${d.name}” called “${name}”`);
  }

  async note(d: DatasetItem, note: string): Promise<void> {
    if (note !== d.note)
      await this.tell([{ id: d.id, now: { note }, was: { note: d.note } }], `the note on “${d.name}”`);
  }

  /** Calls the threads that begin with these datasets by a name; an empty one takes theirs away. */
  async thread(beginnings: readonly DatasetItem[], thread: string): Promise<void> {
    await this.tell(
      beginnings.map((d) => ({ id: d.id, now: { thread }, was: { thread: d.thread ?? '' } })),
      thread ? `the thread “${thread}”` : 'the name of a thread',
    );
  }

  /** Says in which unit the values of some are, of which it was not known or was given by hand. */
  async unit(of: readonly DatasetItem[], unit: string): Promise<void> {
    await this.tell(
      of.map((d) => ({ id: d.id, now: { unit }, was: { unit: givenUnit(d) ?? '' } })),
      `the unit of ${one(of)}`,
    );
  }

  /** Says in which system some lie. One that was not known cannot be made unknown again. */
  async system(of: readonly DatasetItem[], crs: string): Promise<void> {
    const was = of.map((d) => systemOf(d.info));
    const tellings = of.map((d, i) => ({ id: d.id, now: { crs }, was: { crs: was[i] ? systemText(was[i]) : '' } }));
    if (was.every((w) => w !== null)) await this.tell(tellings, `the system of ${one(of)}`);
    else await this.say(tellings, 'now');
  }

  private async tell(all: readonly Change[], words: string): Promise<void> {
    const said = all.slice(0, await this.say(all, 'now'));
    if (!said.length) return;
    this.changes.done({
      words,
      undo: async () => void (await this.say(said, 'was')),
      redo: async () => void (await this.say(said, 'now')),
    });
  }

  /** @returns of how many it could be said; what goes wrong is told once, and the rest is left */
  private async say(all: readonly Change[], what: 'now' | 'was'): Promise<number> {
    for (const [i, c] of all.entries()) if (!(await this.project.patchDataset(c.id, c[what]))) return i;
    return all.length;
  }
}

const one = (of: readonly DatasetItem[]): string => (of.length === 1 ? `“${of[0]!.name}”` : `${of.length} datasets`);

/** The unit that somebody gave to the values of a dataset, which may be corrected; null where none was given by hand. */
export const givenUnit = (d: DatasetItem): string | null =>
  d.checks.some((c) => c.code === 'unit.given') ? kindOf(d.info).unit(d.info) : null;
