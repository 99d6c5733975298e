import { lineKind } from './as-lines';

/** Who is near whom: links from middle to middle, a dot at their ends, so that one without any is seen too. */
export const weights = lineKind('weights', () => ({ width: 0.8, ends: true }));
