import { colourTable, paintRow, type Lit } from './paint';
import type { Scale } from './style';

const scale: Scale = {
  ramp: 'cividis',
  reversed: false,
  low: 1,
  high: 2,
  breaks: [],
  classes: [
    { value: 1, label: 'a', colour: '#0000ff' },
    { value: 2, label: 'b', colour: '#00ff00' },
  ],
};

/** Two cells, 1 and 2, with a border. */
function painted(rest: Lit['rest']): number[] {
  const out = new Uint8ClampedArray(8);
  const cells = Float32Array.from([0, 0, 0, 0, 0, 1, 2, 0, 0, 0, 0, 0]);
  const pick: Lit = { low: 1, high: 1, ink: [200, 10, 20], rest };
  const p = { scale, light: null, gaps: [], missing: null, columns: 2, rows: 1, pick };
  const at = Float64Array.of(0.5, 1.5);
  paintRow(
    out,
    0,
    0,
    2,
    at,
    Float64Array.of(0.5, 0.5),
    { cells, width: 4, height: 3, column: -1, row: -1 },
    p,
    colourTable(scale),
  );
  return [...out];
}

describe('a class that is lit', () => {
  it('has the colour for it, others their own', () => {
    expect(painted(undefined)).toEqual([200, 10, 20, 255, 0, 255, 0, 255]);
  });
  it('alone leaves the others little of theirs', () => {
    expect(painted({ faded: [250, 250, 250] })).toEqual([200, 10, 20, 255, 200, 251, 200, 255]);
  });
  it('over a picture lets it be seen through, and beside it', () => {
    const [r, g, b, a, , , , beside] = painted('clear');
    expect([r, g, b, beside]).toEqual([200, 10, 20, 0]);
    expect(a).toBeGreaterThan(100);
    expect(a).toBeLessThan(200);
  });
});
