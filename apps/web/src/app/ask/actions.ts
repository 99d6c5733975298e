import { inject, Injectable } from '@angular/core';
import { Sketch } from '../draw/sketch';
import { Card } from '../ledger/card';
import { clientKind } from '../kinds';
import { BenchStore } from '../state/bench.store';
import { Changes } from '../state/changes';
import { StyleAsked } from '../state/style-asked';
import { Findings } from '../state/findings';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Something that is done and no method: what it is called, where it stands otherwise, and how it is done from here. */
export interface Action {
  id: string;
  title: string;
  /** Where it is found without asking. */
  where: string;
  /** Words it is asked for by, beside those of its title. */
  words: string;
  does: () => void;
}

/** What nobody means by what they ask. */
const FILLER = new Set(
  'a an and can do does for from get give how i in into is it its let make me my new of on or our please some the there these this those to want we where with'.split(
    ' ',
  ),
);

/** What is done with many things tells of none. */
const GENERAL = new Set('change look make open see say take write'.split(' '));

const wordsOf = (text: string): string[] =>
  text
    .toLowerCase()
    .split(/[^\p{L}\d]+/u)
    .filter((w) => w && !FILLER.has(w));

/** Things that are asked for and are no methods: drawing, saving, colours, undoing, where a set of data lies. */
@Injectable({ providedIn: 'root' })
export class Actions {
  private readonly bench = inject(BenchStore);
  private readonly card = inject(Card);
  private readonly changes = inject(Changes);
  private readonly findings = inject(Findings);
  private readonly project = inject(ProjectStore);
  private readonly sketch = inject(Sketch);
  private readonly style = inject(StyleAsked);

  /** Those that every word of what is asked speaks of. */
  asked(text: string): Action[] {
    const wanted = wordsOf(text);
    if (!wanted.length) return [];
    return this.all().filter((a) => {
      const own = wordsOf(`${a.title} ${a.words}`);
      // What it is done to is no wish for it: "area" asks for an area, "draw areas" for the pencil.
      const [first = ''] = wordsOf(a.title);
      const telling = [...(GENERAL.has(first) ? [] : [first]), ...wordsOf(a.words)];
      if (!wanted.some((w) => telling.some((o) => o.startsWith(w) || w.startsWith(o)))) return false;
      return wanted.every((w) => own.some((o) => o.startsWith(w) || (w.length > 4 && w.startsWith(o) && o.length > 3)));
    });
  }

  private all(): Action[] {
    const d = this.bench.selectedItem();
    const of = d ? ` “${d.name}”` : '';
    const draw = (geometry: 'point' | 'line' | 'polygon') => () => {
      const pane = this.bench.activePane();
      this.sketch.begin(geometry, (id) => this.bench.show(id, pane, true));
    };
    const chosen = (does: (x: DatasetItem) => void) => () =>
      d ? does(d) : this.project.notify('Choose a dataset in the ledger first.', 'refused');
    const stage = (s: 'gather' | 'ledger' | 'methods' | 'recipes' | 'sheets') => () => this.bench.set({ stage: s });
    const table = d && clientKind(d.info).goes !== 'beneath';
    return [
      {
        id: 'draw.points',
        title: 'Draw points',
        where: 'the pencil of a pane',
        words: 'digitise digitize sketch by hand',
        does: draw('point'),
      },
      {
        id: 'draw.line',
        title: 'Draw a line',
        where: 'the pencil of a pane',
        words: 'digitise digitize sketch polyline by hand',
        does: draw('line'),
      },
      {
        id: 'draw.areas',
        title: 'Draw areas',
        where: 'the pencil of a pane',
        words: 'digitise digitize sketch polygon by hand',
        does: draw('polygon'),
      },
      {
        id: 'save.dataset',
        title: `Save${of} as a file`,
        where: 'the menu of its row in the ledger',
        words: 'export download write out geotiff geopackage shapefile csv geojson',
        does: chosen((x) => void this.card.open(x.id, 'save')),
      },
      {
        id: 'system',
        title: `Say where${of} lies`,
        where: 'the menu of its row, About',
        words: 'georeference georeferencing crs epsg define assign set',
        does: chosen((x) => void this.card.open(x.id, 'system')),
      },
      {
        id: 'rename',
        title: `Name${of}`,
        where: 'the menu of its row, or F2',
        words: 'rename call title',
        does: chosen((x) => void this.card.open(x.id, 'name')),
      },
      {
        id: 'note',
        title: `Write a note on${of}`,
        where: 'the menu of its row, About',
        words: 'describe annotate comment metadata about',
        does: chosen((x) => void this.card.open(x.id, 'note')),
      },
      {
        id: 'colours',
        title: `Change the colours of${of}`,
        where: 'its chip in the pane',
        words: 'color colour style symbol symbology legend ramp palette opacity drawn',
        does: chosen((x) => this.style.ask(x.id)),
      },
      {
        id: 'undo',
        title: this.changes.next() ? `Undo: ${this.changes.next()}` : 'Undo',
        where: 'Ctrl+Z',
        words: 'take back revert last mistake',
        does: () => void this.changes.undo(),
      },
      {
        id: 'redo',
        title: 'Redo',
        where: 'Ctrl+Shift+Z',
        words: 'again repeat',
        does: () => void this.changes.redo(),
      },
      {
        id: 'remove',
        title: `Remove${of}`,
        where: 'the menu of its row',
        words: 'delete drop discard',
        does: chosen((x) => void this.project.removeDatasets([x.id])),
      },
      {
        id: 'bin',
        title: 'Look into the bin',
        where: 'the foot of the ledger',
        words: 'trash removed deleted restore bring back recover',
        does: () => void this.card.bin(),
      },
      {
        id: 'gather',
        title: 'Take data in',
        where: 'stage 1, Gather',
        words: 'import open load file add layer upload data',
        does: stage('gather'),
      },
      {
        id: 'pin',
        title: 'Pin what is seen as a finding',
        where: 'F',
        words: 'picture screenshot image keep finding',
        does: () => void this.findings.pin(),
      },
      {
        id: 'sheets',
        title: 'Make a map sheet or a report',
        where: 'stage 5, Sheets',
        words: 'print layout page pdf map export report package zip legend scale bar north arrow',
        does: stage('sheets'),
      },
      {
        id: 'pane',
        title: 'Open one more pane',
        where: 'below the panes',
        words: 'split pane second',
        does: () => void this.bench.addPane(),
      },
      ...(table
        ? [
            {
              id: 'table',
              title: `See the table of${of}`,
              where: 'Table, in the evidence',
              words: 'attributes columns rows',
              does: () => this.bench.set({ evidence: true, panel: { dataset: d.id, panel: 'table' } }),
            },
          ]
        : []),
      {
        id: 'theme',
        title: this.bench.dark() ? 'Light paper' : 'Dark paper',
        where: 'the moon, top right',
        words: 'dark light theme mode night',
        does: () => this.bench.toggleTheme(),
      },
    ];
  }
}
