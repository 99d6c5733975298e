/** Where a mend leads: settings to change, or another method to run first on an input. */
export interface Mend {
  label: string;
  set?: Record<string, unknown>;
  run?: {
    method: string;
    role: string;
    input: string;
    params?: Record<string, unknown>;
    /** Of an input of many: those that are mended, each by a run of its own; all in one run where not given. */
    each?: number[];
  };
}

/** A finding before the run. `fine` is said too: an analyst wants to know what has been looked at. */
export interface Check {
  level: 'fine' | 'look' | 'refused';
  code: string;
  message: string;
  /** Input or parameter it is about. */
  about?: string;
  mend?: Mend;
}

/** Something said about a file or a run beside its result. */
export interface Note {
  level: 'info' | 'look' | 'refused';
  code: string;
  message: string;
}

export function plural(n: number, noun: string): string {
  return `${n.toLocaleString('en').replaceAll(',', ' ')} ${noun}${n === 1 ? '' : 's'}`;
}
