import { inject, Injectable } from '@angular/core';
import { CATEGORY_COLOURS, type Shows } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { clientKind } from '../kinds';
import { ProjectStore, type DatasetItem } from './project.store';

/** One thing a pane shows; the last stands on top. */
export interface Layer {
  dataset: string;
  visible: boolean;
  /** How it is drawn in this pane, where that is another way than the dataset's own. */
  own?: object;
}

/** How datasets are drawn: kept with each, so that every pane and every tab draws it alike, whatever is taken out and shown again. */
@Injectable({ providedIn: 'root' })
export class Looks {
  private readonly project = inject(ProjectStore);

  /** What the method that made a dataset says of how it is shown. */
  shows(d: DatasetItem): Shows | null {
    const run = this.project.madeBy(d);
    return (d.role && run && this.project.methodMap().get(run.method)?.outputs[d.role]?.shows) || null;
  }

  /** How a dataset is drawn; in a pane, or by itself. */
  of<L extends object = object>(d: DatasetItem, layer?: Layer): L {
    return (layer?.own ?? d.look ?? this.first(d)) as L;
  }

  /**
   * How one is drawn that nobody has drawn yet: as what it was made from, where its method says so or where the values of both mean the
   * same; else as its kind and its method say, in a colour that nothing beside it has.
   *
   * @param beside what it will be seen with
   */
  first(d: DatasetItem, beside: readonly DatasetItem[] = []): object {
    const kind = clientKind(d.info);
    const shows = this.shows(d);
    const run = this.project.madeBy(d);
    const sources = (ids: string[]): DatasetItem[] =>
      ids.map((id) => this.project.datasetEntityMap()[id]!).filter((s) => s?.look && s.info.kind === d.info.kind);
    const like =
      (shows?.like && sources(datasetsIn({ of: run?.inputs[shows.like] ?? [] }))[0]) ||
      (run && sources(datasetsIn(run.inputs)).find((s) => kind.alike(s.info as never, d.info as never)));
    // Seen through, it could not be compared.
    const look = !like
      ? kind.look(d.info as never, shows, this.colourFor(d, beside))
      : 'opacity' in like.look!
        ? { ...like.look, opacity: 1 }
        : like.look!;
    const colour = kind.colour(look);
    const taken = colour !== null && beside.some((o) => o.id !== d.id && this.colourOf(o) === colour);
    return taken ? kind.recoloured(look, this.colourFor(d, beside)) : look;
  }

  private colourOf(d: DatasetItem): string | null {
    return d.look ? clientKind(d.info).colour(d.look) : null;
  }

  /** The readable colour that fewest have: none of those beside it, where one is left. */
  private colourFor(d: DatasetItem, beside: readonly DatasetItem[]): string {
    const count = (all: readonly DatasetItem[], colour: string): number =>
      all.filter((o) => o.id !== d.id && this.colourOf(o) === colour).length;
    const all = this.project.datasetEntities();
    const place = Math.max(0, this.project.datasetIds().indexOf(d.id));
    const turned = CATEGORY_COLOURS.map((_, i) => CATEGORY_COLOURS[(i + place) % CATEGORY_COLOURS.length]!);
    return turned.reduce((best, c) => {
      const [a, b] = [count(beside, c) - count(beside, best), count(all, c) - count(all, best)];
      return a < 0 || (a === 0 && b < 0) ? c : best;
    });
  }
}
