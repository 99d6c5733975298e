import { plural, type Check } from './check';
import type { ColumnInfo } from './features';

const round = (v: number): number => Number(v.toPrecision(4));

/** Columns in which a value looks like a missing-value code, with the way to a copy without it. True zeros are never taken for one. */
export function codeChecks(columns: readonly ColumnInfo[], role = 'features'): Check[] {
  return columns.flatMap((c): Check[] => {
    const value = c.suspect?.value ?? 0;
    const name = /^[A-Za-z_$][\w$]*$/.test(c.name) ? c.name : `[${c.name}]`;
    const mend = {
      label: `Make ${value} missing in a copy`,
      run: {
        method: 'features.calculate',
        role: 'features',
        input: role,
        params: {
          column: c.name,
          formula: `${name} == ${value} ? 0 / 0 : ${name}`,
          ...(c.unit ? { unit: c.unit } : {}),
        },
      },
    };
    if (c.suspect)
      return [
        {
          level: 'look',
          code: 'column.suspectCode',
          about: role,
          message: `${c.name}: ${value} stands apart from all other values and looks like a missing-value code (${plural(c.suspect.count, 'value')}).`,
          mend,
        },
      ];
    if (c.zeros)
      return [
        {
          level: 'look',
          code: 'column.zeros',
          about: role,
          message: `${c.name}: 0 stands apart from all other values (${round(c.zeros.low)} to ${round(c.zeros.high)}): measured, or where nothing was measured (${plural(c.zeros.count, 'value')})?`,
          mend,
        },
      ];
    return [];
  });
}
