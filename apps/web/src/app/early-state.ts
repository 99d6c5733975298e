/**
 * What is begun before the scripts of the workbench are read, for the workbench to go on with. The two are separate files that share no module,
 * so it lies with the window.
 */
export interface EarlyState {
  /** Answers that are on their way, by path; each is taken once. */
  answers: Map<string, Promise<Response>>;
  followed: Followed | null;
  /** Drawing workers that are running. */
  drawing: Worker[];
}

/** The events of a project that somebody listens to. */
export interface Followed {
  project: string;
  source: EventSource;
  /** What came before anybody listened. */
  held: MessageEvent[];
}

export const early: EarlyState = ((globalThis as { helkEarly?: EarlyState }).helkEarly ??= {
  answers: new Map(),
  followed: null,
  drawing: [],
});
