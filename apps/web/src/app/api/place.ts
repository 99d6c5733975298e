/** What the address names: `/p/PROJECT`, or `/p/PROJECT/DATASET`. */
export interface Named {
  project: string | null;
  dataset: string | null;
}

const PATH = /^\/p\/([a-z0-9]{6,32})(?:\/([a-z0-9]{6,32}))?\/?$/;

export function namedBy(path: string = location.pathname): Named {
  const m = PATH.exec(path);
  return { project: m?.[1] ?? null, dataset: m?.[2] ?? null };
}

export const pathOf = ({ project, dataset }: Named): string =>
  project ? `/p/${project}${dataset ? `/${dataset}` : ''}` : '/';
