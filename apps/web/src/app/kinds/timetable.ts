import { byColumn, lineKind } from './as-lines';

/** Lines of public transport from stop to stop; their ends are the stops. */
export const timetable = lineKind('timetable', (lines) => ({ width: 2.4, ends: true, ...byColumn(lines, 'line') }));
