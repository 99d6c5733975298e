/** Id of the method that simulates a recipe. */
export const SIMULATE = 'recipe.simulate';

/** Id of the method that a recipe of a project is. */
export const recipeMethodId = (id: string): string => `recipe:${id}`;
/** Id of the recipe that a method is; null for one of the catalogue. */
export const recipeIdIn = (method: string): string | null => (method.startsWith('recipe:') ? method.slice(7) : null);

/** A name that a recipe can use: `veyra-gauge 2` becomes `veyraGauge2`. */
export function nameFrom(text: string, usual: string): string {
  const words = text
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9]+/g, ' ')
    .trim()
    .split(' ')
    .filter(Boolean);
  const joined = words
    .map((w, k) => (k ? w.charAt(0).toUpperCase() + w.slice(1) : w.charAt(0).toLowerCase() + w.slice(1)))
    .join('')
    .slice(0, 40);
  return /^[A-Za-z]/.test(joined) ? joined : usual;
}

/** The name, or the name with the first number that is free. */
export function freeAmong(taken: ReadonlySet<string>, name: string): string {
  if (!taken.has(name)) return name;
  for (let k = 2; ; k++) if (!taken.has(`${name}${k}`)) return `${name}${k}`;
}
