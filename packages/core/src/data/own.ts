/**
 * What a record itself holds under a name that comes from outside. Every object answers to names like `constructor` as well, and those are
 * nobody's data.
 */
export function own<T>(record: Readonly<Record<string, T>>, key: string): T | undefined {
  return Object.hasOwn(record, key) ? record[key] : undefined;
}
