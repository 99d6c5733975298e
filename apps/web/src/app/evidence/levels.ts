/** What is printed beside a figure by how likely as much is by chance: the usual levels, which are always told with it. */
export const starsOf = (p: number): string => (p < 0.001 ? '***' : p < 0.01 ? '**' : p < 0.05 ? '*' : '');
export const LEVELS = '* p < 0.05, ** p < 0.01, *** p < 0.001';
