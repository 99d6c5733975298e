import type { Project } from '../projects';
import type { Papers } from '../store/papers';

/** What is written, with everybody told of it. */
export function kept<E>(store: Papers<E>, tell: (p: Project, entries: E[]) => void) {
  const told = (p: Project, entry: E): E => {
    tell(p, [entry]);
    return entry;
  };
  return {
    add: async (p: Project, body: unknown): Promise<E> => told(p, await store.add(p.db, body)),
    save: async (p: Project, id: string, body: unknown): Promise<E> => told(p, await store.save(p.db, id, body)),
    remove: async (p: Project, id: string): Promise<void> => {
      await store.set(p.db, id, 'removed');
      await p.binned([id]);
    },
    restore: async (p: Project, id: string): Promise<E> => {
      await store.set(p.db, id, 'ready');
      await p.binned([]);
      return told(p, await store.get(p.db, id));
    },
  };
}
