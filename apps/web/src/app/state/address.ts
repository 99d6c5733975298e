import { effect, inject, Injectable, untracked } from '@angular/core';
import { namedBy, pathOf } from '../api/place';
import { BenchStore } from './bench.store';
import { ProjectStore } from './project.store';

/**
 * The address names the project and the dataset that is chosen, so that both can be linked to, kept as a bookmark, and gone back to.
 */
@Injectable({ providedIn: 'root' })
export class Address {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  /** What the page was opened with, until its project is there. */
  private wanted = namedBy();
  private begun = false;

  constructor() {
    effect(() => {
      const project = this.project.project();
      const chosen = this.bench.selected();
      if (this.project.loading() || !project) return;
      // The bench of a project that has just been opened is laid out by then.
      const name = this.project.datasetEntityMap()[chosen ?? '']?.name;
      untracked(() => this.follow(project.id, chosen));
      document.title = [name, project.name, 'Helk'].filter(Boolean).join(' · ');
    });
    addEventListener('popstate', () => void this.go());
  }

  private follow(project: string, chosen: string | null): void {
    const { wanted } = this;
    if (wanted.project) {
      this.wanted = { project: null, dataset: null };
      if (wanted.project === project && wanted.dataset && wanted.dataset !== chosen) {
        if (this.show(wanted.dataset)) return;
        this.project.notify('The dataset that the address names is not in this project any more.', 'refused');
      } else if (wanted.project !== project) {
        this.project.notify(
          'The project that the address names is not there any more; this is the one used last.',
          'refused',
        );
      }
    }
    const path = pathOf({ project, dataset: chosen });
    if (path === location.pathname) {
      this.begun = true;
      return;
    }
    // The first one says where one is; those that follow, where one went.
    if (this.begun) history.pushState(null, '', path);
    else history.replaceState(null, '', path);
    this.begun = true;
  }

  /** Back and forward. */
  private async go(): Promise<void> {
    const to = namedBy();
    if (!to.project) return;
    if (to.project !== this.project.project()?.id) {
      this.wanted = to;
      await this.project.open(to.project);
      return;
    }
    if (to.dataset === null) this.bench.select(null);
    else if (!this.show(to.dataset)) this.project.notify('That dataset has been removed since.', 'refused');
  }

  /** Chooses a dataset, and shows it where it is not seen. @returns whether it is there */
  private show(id: string): boolean {
    const d = this.project.datasetEntityMap()[id];
    if (!d) return false;
    const pane = this.bench.panes().find((p) => p.layers.some((l) => l.dataset === id) || p.panel?.dataset === id);
    if (pane) this.bench.set({ activePane: pane.id, selected: id });
    else this.bench.show(id, this.bench.activePane(), false);
    return true;
  }
}
