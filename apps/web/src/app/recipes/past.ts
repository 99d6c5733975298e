import type { ApiRun } from '@helk/core/api/schemas';
import { historyOf, type History, type PastRun } from '@helk/core/recipe/history';
import type { DatasetItem } from '../state/project.store';

/** How some results of the open project were made. */
export const historyIn = (
  ids: readonly string[],
  datasets: Record<string, DatasetItem>,
  runs: Record<string, ApiRun>,
): History => historyOf(ids, { datasets, runs: runs as Record<string, PastRun> });
