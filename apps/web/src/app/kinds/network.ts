import { byColumn, lineKind } from './as-lines';

/** Columns of streets by which they are told apart at first sight, in this order. */
const TELLING = /^(class|highway|kind|type)$/i;

/** Streets that join. */
export const network = lineKind('network', (lines) => ({
  width: 1.4,
  ...byColumn(lines, lines.columns.find((c) => c.type === 'text' && TELLING.test(c.name))?.name),
}));
