import { early, type Followed } from '../early-state';
import { namedBy } from './place';

/**
 * What the workbench asks for in any case, asked while its scripts are still being read: the methods, the projects, and the project that was
 * open last with its events. Each answer is taken once; what is not taken, or was a refusal, is asked for again by whoever needs it.
 */

/** Where the browser keeps which project was open last. */
export const LAST_PROJECT = 'helk.project';

export function askEarly(): void {
  const last = namedBy().project ?? localStorage.getItem(LAST_PROJECT);
  ask('/api/methods');
  const projects = ask('/api/projects');
  if (last && /^[a-z0-9]{6,32}$/.test(last)) open(last);
  else
    void projects
      .then((r) => r.clone().json())
      .then((all: { id: string; problem: string | null }[]) => {
        const first = all.find((p) => !p.problem);
        // The workbench may have been quicker.
        if (first && early.answers.has('/api/projects')) open(first.id);
      })
      .catch(() => undefined);
}

function ask(path: string): Promise<Response> {
  const answer = fetch(path);
  answer.catch(() => undefined);
  early.answers.set(path, answer);
  return answer;
}

function open(project: string): void {
  // Listening first: nothing that happens after the answer is missed.
  const source = new EventSource(`/api/projects/${project}/events`);
  const held: MessageEvent[] = [];
  source.onmessage = (m) => held.push(m);
  early.followed = { project, source, held };
  ask(`/api/projects/${project}`);
}

/** The answer to a path, where it has been asked for; undefined where it was not, was taken already, or was refused. */
export async function earlyAnswer(path: string): Promise<Response | undefined> {
  const answer = early.answers.get(path);
  early.answers.delete(path);
  const r = await answer?.catch(() => undefined);
  return r?.ok ? r : undefined;
}

/** The events of a project, where they are followed already; those of another one are no longer. */
export function earlyEvents(project: string): Omit<Followed, 'project'> | null {
  const f = early.followed;
  early.followed = null;
  if (f?.project === project && f.source.readyState !== EventSource.CLOSED) return f;
  f?.source.close();
  return null;
}
