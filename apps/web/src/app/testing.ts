import { crsOfCode, describeMethod, infoOf, methods, type Dataset, type DatasetInfo } from '@helk/core';
import type { ApiDataset, ApiProject, ApiRun } from '@helk/core/api/schemas';

// All specs run in one tab; what a tab keeps of a project must not go from one to the next.
beforeEach(() => sessionStorage.clear());

/** A dataset of a project as the server would tell it, of facts or of the data themselves; for specs only. */
export function datasetOf(
  id: string,
  what: { info: DatasetInfo } | { data: Dataset },
  over: Partial<ApiDataset> = {},
): ApiDataset {
  const info = 'info' in what ? what.info : infoOf(what.data);
  return {
    id,
    name: id,
    note: '',
    kind: info.kind,
    info: info as never,
    runId: null,
    role: null,
    step: null,
    replacedBy: null,
    batch: null,
    thread: null,
    source: null,
    checks: [],
    look: null,
    createdAt: '2026-03-04T05:06:07Z',
    revision: 0,
    ...over,
  };
}

/** A finished run; for specs only. */
export const runOf = (id: string, method: string, over: Partial<ApiRun> = {}): ApiRun => ({
  id,
  method,
  version: 1,
  title: method,
  inputs: {},
  params: {},
  seed: 1,
  systems: {},
  state: 'done',
  progress: 1,
  stage: '',
  figures: {},
  notes: [],
  outputs: [],
  made: {},
  steps: [],
  table: null,
  variantOf: null,
  problem: null,
  createdAt: '1',
  startedAt: null,
  endedAt: null,
  ...over,
});

/** A project in UTM zone 27N; for specs only. */
export const projectOf = (id: string, over: Partial<ApiProject> = {}): ApiProject => ({
  id,
  name: 'Test',
  note: '',
  crs: crsOfCode(32627),
  bytes: 0,
  binned: 0,
  createdAt: '',
  openedAt: null,
  problem: null,
  ...over,
});

/** The methods as the server lists them; for specs only. */
export const described = () => methods().map(describeMethod);
