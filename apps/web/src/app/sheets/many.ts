import { inject, Injectable } from '@angular/core';
import { columnsOf, featureBoxes, featuresIn, ofKind, valueOf, type Features } from '@helk/core';
import { stepLabel, stepStart } from '@helk/core/data/time-steps';
import type { Many } from '@helk/core/sheet/many-shape';
import { roundScale, scaleToFit } from '@helk/core/sheet/ground';
import { followed, framesOf, type Frame, type MapSheet } from '@helk/core/sheet/shape';
import { clientKind } from '../kinds';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Tables } from '../state/tables';
import type { Spot } from './parts/part';

/** Sheets that are made of one, at most. */
export const MOST_SHEETS = 1000;
/** Share of the frame that stays free around a feature. */
const ROOM = 0.14;

/** One sheet of many: the sheet as it is then, what fields stand for, what is lit in its frame. */
export interface Variant {
  name: string;
  sheet: MapSheet;
  values: ReadonlyMap<string, string>;
  spot: Spot | null;
}

/** What many sheets can be made by. */
export interface ManyOffer {
  id: string;
  label: string;
  many: Many;
}

type Looked = Record<string, unknown> & { by?: { kind?: string; column?: string } };

/** Many sheets from one: a sheet for each feature, step, row or column. */
@Injectable({ providedIn: 'root' })
export class ManySheets {
  private readonly store = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  private readonly tables = inject(Tables);

  private item = (id: string): DatasetItem | undefined => this.store.datasetEntityMap()[id];

  /** What a sheet could be made many times by: what its frames show, and the run tables that made some of it. */
  offers(sheet: MapSheet): ManyOffer[] {
    const frames = framesOf(sheet);
    const main = frames.filter((f) => !f.around).sort((a, b) => b.width * b.height - a.width * a.height)[0];
    if (!main) return [];
    const base = { frame: main.id, pattern: '{sheet}, {name}' };
    const out: ManyOffer[] = [];
    for (const l of [...main.layers].reverse()) {
      const d = this.item(l.dataset);
      if (!d) continue;
      const f = ofKind('features', d.info);
      if (f && f.count > 0) {
        const column = f.columns.find((c) => c.type === 'text')?.name ?? null;
        out.push({
          id: `features ${d.id}`,
          label: `each of ${f.count} in “${d.name}”`,
          many: { by: 'features', ...base, dataset: d.id, column, scale: 'fit', alone: true, only: null },
        });
      }
      const steps = clientKind(d.info).steps?.(d.info as never);
      if (steps && steps.count > 1 && steps.count <= MOST_SHEETS)
        out.push({
          id: `steps ${d.id}`,
          label: `each of ${steps.count} steps of “${d.name}”`,
          many: { by: 'steps', ...base, dataset: d.id },
        });
      const by = (l.look as Looked).by?.column;
      const unit = columnsOf(d.info).find((c) => c.name === by);
      const like = unit
        ? columnsOf(d.info)
            .filter((c) => c.type === unit.type && c.unit === unit.unit)
            .map((c) => c.name)
        : [];
      if (by && like.length > 1)
        out.push({
          id: `columns ${d.id}`,
          label: `each of several columns of “${d.name}”`,
          many: { by: 'columns', ...base, dataset: d.id, columns: alike(like, by) },
        });
    }
    for (const t of this.store.tables())
      if (this.rowsOf(t.id).length > 1)
        out.push({
          id: `rows ${t.id}`,
          label: `each row of “${t.title}”`,
          many: { by: 'rows', ...base, table: t.id },
        });
    return out;
  }

  private rowsOf(table: string): { cells: [string, string][]; outputs: DatasetItem[] }[] {
    const t = this.store.tables().find((x) => x.id === table);
    if (!t) return [];
    const labels = this.tables.columns(t).map((c) => c.label);
    return this.tables.rows(t).flatMap((r) => {
      const outputs = r.run?.state === 'done' ? r.run.outputs.flatMap((id) => this.item(id) ?? []) : [];
      return outputs.length ? [{ cells: r.cells.map((c, i): [string, string] => [labels[i] ?? '', c]), outputs }] : [];
    });
  }

  /** Every sheet of many, in order. @throws Error in a sentence where there are none */
  async variants(sheet: MapSheet): Promise<Variant[]> {
    const m = sheet.many;
    const frames = framesOf(sheet);
    const own = m && frames.find((f) => f.id === m.frame);
    if (!m || !own) return [];
    const frame = followed(own, frames);
    const made = await this.each(m, sheet, frame);
    if (!made.length)
      throw new Error('There is nothing to make sheets of: what they were to be made by is empty or gone.');
    return made.map((v, i) => ({
      ...v,
      values: new Map([...v.values, ['name', v.name], ['number', String(i + 1)], ['of', String(made.length)]]),
    }));
  }

  private async each(m: Many, sheet: MapSheet, frame: Frame): Promise<Variant[]> {
    const put = (patch: Partial<Frame>): MapSheet => ({
      ...sheet,
      parts: sheet.parts.map((p) => (p.id === frame.id && p.kind === 'frame' ? { ...p, ...patch } : p)),
    });
    switch (m.by) {
      case 'features':
        return this.features(m, frame, put);
      case 'steps': {
        const d = this.item(m.dataset);
        const steps = d && clientKind(d.info).steps?.(d.info as never);
        return Array.from({ length: Math.min(MOST_SHEETS, steps?.count ?? 0) }, (_, k) => ({
          name: stepLabel(steps!, k),
          sheet: put({ time: { at: stepStart(steps!, k), window: 1 } }),
          values: new Map(),
          spot: null,
        }));
      }
      case 'columns':
        return m.columns.map((column) => ({
          name: column,
          sheet: put({
            layers: frame.layers.map((l): Frame['layers'][number] => {
              const by = (l.look as Looked).by;
              return l.dataset === m.dataset && by?.column ? { ...l, look: { ...l.look, by: { ...by, column } } } : l;
            }),
          }),
          values: new Map(),
          spot: null,
        }));
      case 'rows':
        return this.rows(m.table, frame, put);
    }
  }

  private async features(
    m: Extract<Many, { by: 'features' }>,
    frame: Frame,
    put: (patch: Partial<Frame>) => MapSheet,
  ): Promise<Variant[]> {
    const d = this.item(m.dataset);
    const raw = d && (await this.data.get(d.id));
    if (!raw || raw.kind !== 'features') return [];
    const f = featuresIn({ ...raw, crs: raw.crs ?? frame.crs } as Features, frame.crs);
    const boxes = featureBoxes(f);
    const named = f.columns.find((c) => c.name === m.column);
    const wanted = m.only && new Set(m.only);
    const out: Variant[] = [];
    for (let i = 0; i < boxes.length / 4 && out.length < MOST_SHEETS; i++) {
      const box = [...boxes.subarray(4 * i, 4 * i + 4)];
      if (box.some((v) => !Number.isFinite(v)) || wanted?.has(i) === false) continue;
      const centre: [number, number] = [(box[0]! + box[2]!) / 2, (box[1]! + box[3]!) / 2];
      const at = { ...frame, centre };
      const fit = box[2]! > box[0]! || box[3]! > box[1]! ? roundScale(scaleToFit(at, box, ROOM)) : frame.scale;
      const values = new Map(f.columns.map((c) => [c.name, String(valueOf(c, i) ?? '')]));
      const name = (named && String(valueOf(named, i) ?? '').trim()) || `no. ${i + 1}`;
      out.push({
        name,
        sheet: put({
          centre,
          linked: null,
          crs: frame.crs,
          turn: frame.turn,
          scale: m.scale === 'fit' ? fit : frame.scale,
        }),
        values,
        spot: m.alone && f.geometry === 'polygon' ? { frame: frame.id, rings: ringsOf(f, i) } : null,
      });
    }
    return out;
  }

  /** What a row made stands where what another row made stands in the sheet. */
  private rows(table: string, frame: Frame, put: (patch: Partial<Frame>) => MapSheet): Variant[] {
    const rows = this.rowsOf(table);
    const roleOf = new Map(
      rows.flatMap((r) => r.outputs.map((o) => [o.id, `${o.step ?? ''}.${o.role ?? ''}`] as const)),
    );
    return rows.map((r) => {
      const layers = frame.layers.map((l): Frame['layers'][number] => {
        const role = roleOf.get(l.dataset);
        const other =
          role === undefined ? undefined : r.outputs.find((o) => `${o.step ?? ''}.${o.role ?? ''}` === role);
        return other ? { ...l, dataset: other.id } : l;
      });
      return { name: r.outputs[0]!.name, sheet: put({ layers }), values: new Map(r.cells), spot: null };
    });
  }
}

function ringsOf(f: Features, i: number): [number, number][][] {
  const out: [number, number][][] = [];
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++)
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      const ring: [number, number][] = [];
      for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]!; c++) ring.push([f.xy[2 * c]!, f.xy[2 * c + 1]!]);
      out.push(ring);
    }
  return out;
}

/** Columns that are called as one is but for a number in their names; all of them where no other is. */
function alike(all: readonly string[], one: string): string[] {
  const stem = one.replace(/\d+([.,]\d+)?/g, '#');
  const some = all.filter((c) => c.replace(/\d+([.,]\d+)?/g, '#') === stem);
  return some.length > 1 ? some : [...all];
}
