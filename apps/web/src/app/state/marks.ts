import { inject, Injectable, signal } from '@angular/core';
import { readMarks, writeMarks, type Mark } from '@helk/core/methods/cloud/mark';
import { BenchStore } from './bench.store';
import { Drafts } from './drafts';
import { ProjectStore } from './project.store';

const WORK = 'marks';

/** Points of clouds that were marked by hand and are not kept yet, by dataset. Keeping them is a run, so the cloud stays as it is. */
@Injectable({ providedIn: 'root' })
export class Marks {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly drafts = inject(Drafts);
  private readonly held = signal<Readonly<Record<string, readonly Mark[]>>>({});
  private readonly read = new Set<string>();

  of(dataset: string): readonly Mark[] {
    return this.held()[dataset] ?? [];
  }

  /** Goes on where somebody left off. */
  async resume(dataset: string): Promise<void> {
    if (this.read.has(dataset)) return;
    this.read.add(dataset);
    const text = await this.drafts.read<string>(dataset, WORK).catch(() => null);
    if (text && !this.of(dataset).length) this.held.update((all) => ({ ...all, [dataset]: readMarks(text) }));
  }

  put(dataset: string, marks: readonly Mark[]): void {
    this.held.update((all) => ({ ...all, [dataset]: marks }));
    this.drafts.keep(dataset, WORK, marks.length ? writeMarks(marks) : null);
  }

  /** Makes a new cloud with the marks and shows it where the old one stood. @returns its id */
  async keep(dataset: string): Promise<string | undefined> {
    const item = this.project.datasetEntityMap()[dataset];
    const method = this.project.serving().get('mark points');
    const marks = this.of(dataset);
    if (!item || !method || !marks.length) return undefined;
    const made = await this.project.guarded(() =>
      this.project.runToEnd(
        method.id,
        { [Object.keys(method.inputs)[0]!]: [dataset] },
        { [Object.keys(method.params)[0]!]: writeMarks(marks) },
      ),
    );
    if (!made) return undefined;
    this.put(dataset, []);
    this.bench.replaceLayer(dataset, made[0]!);
    this.project.notify(`The marks are kept as a new cloud; “${item.name}” is as it was.`);
    return made[0];
  }
}
