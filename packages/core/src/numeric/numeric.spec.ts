import fc from 'fast-check';
import { cellOutlines, enclosedGaps, missingMask } from './components';
import { discSums } from './disc';
import { IndexHeap, IndexQueue, IndexStack } from './heap';
import { halve } from './overview';
import { resampleRow } from './resample';
import { MISSING_CLASS } from '../data/raster';
import { chaikin, isolines } from './contour';

describe('the heap', () => {
  it('gives items in the order of their keys, whatever the order of pushing', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ noNaN: true, min: -1e9, max: 1e9 }), { maxLength: 3000 }), (keys) => {
        const h = new IndexHeap(2);
        keys.forEach((k, i) => h.push(k, i));
        const out: number[] = [];
        for (let i = h.pop(); i >= 0; i = h.pop()) out.push(keys[i]!);
        expect(out).toEqual([...keys].sort((a, b) => a - b));
      }),
      { numRuns: 40 },
    );
  });
  it('works with pops between pushes, and tells its least key', () => {
    const h = new IndexHeap(1);
    h.push(3, 30);
    h.push(1, 10);
    expect(h.peekKey()).toBe(1);
    expect(h.pop()).toBe(10);
    h.push(2, 20);
    expect([h.pop(), h.pop(), h.pop()]).toEqual([20, 30, -1]);
    expect(h.peekKey()).toBeNaN();
  });
});

describe('queue and stack', () => {
  it('keep order over growth and wrap-around', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { maxLength: 6000 }), (moves) => {
        const q = new IndexQueue(2);
        const s = new IndexStack();
        const plainQ: number[] = [];
        const plainS: number[] = [];
        moves.forEach((push, i) => {
          if (push || plainQ.length === 0) {
            q.push(i);
            s.push(i);
            plainQ.push(i);
            plainS.push(i);
          } else {
            expect(q.shift()).toBe(plainQ.shift()!);
            expect(s.pop()).toBe(plainS.pop()!);
          }
        });
        expect(q.size).toBe(plainQ.length);
      }),
      { numRuns: 30 },
    );
    expect(new IndexQueue().shift()).toBe(-1);
  });
});

const grid = fc
  .tuple(fc.integer({ min: 1, max: 14 }), fc.integer({ min: 1, max: 14 }))
  .chain(([w, h]) =>
    fc.tuple(
      fc.constant(w),
      fc.constant(h),
      fc.array(fc.integer({ min: 0, max: 9 }), { minLength: w * h, maxLength: w * h }),
    ),
  );

describe('enclosed gaps', () => {
  it('are the missing cells from which no path over sides leads to the edge', () => {
    fc.assert(
      fc.property(grid, ([w, h, v]) => {
        const cells = Float32Array.from(v, (x) => (x < 4 ? NaN : x));
        // The plain way: outside grows from the edge until nothing changes.
        const outside = new Uint8Array(w * h);
        for (let changed = true; changed;) {
          changed = false;
          for (let i = 0; i < w * h; i++) {
            if (outside[i] || cells[i] === cells[i]) continue;
            const x = i % w;
            const y = Math.floor(i / w);
            const edge = x === 0 || y === 0 || x === w - 1 || y === h - 1;
            if (edge || outside[i - 1] || outside[i + 1] || outside[i - w] || outside[i + w]) {
              outside[i] = 1;
              changed = true;
            }
          }
        }
        const gaps = enclosedGaps(missingMask(cells, NaN), w, h);
        const found = new Set(gaps.flatMap((g) => [...g.cells]));
        for (let i = 0; i < w * h; i++) expect(found.has(i)).toBe(Number.isNaN(cells[i]!) && !outside[i]);
        expect(found.size).toBe(gaps.reduce((s, g) => s + g.cells.length, 0));
      }),
      { numRuns: 120 },
    );
  });
});

describe('outlines of cells', () => {
  it('are closed rings whose areas add up to the cells, holes counted off', () => {
    fc.assert(
      fc.property(grid, ([w, , v]) => {
        const cells = Int32Array.from(v.map((x, i) => (x < 5 ? i : -1)).filter((i) => i >= 0));
        let area = 0;
        for (const r of cellOutlines(cells, w)) {
          const n = r.length;
          expect([r[0], r[1]]).toEqual([r[n - 2]!, r[n - 1]!]);
          for (let i = 0; i + 3 < n; i += 2) {
            area += r[i + 2]! * r[i + 1]! - r[i]! * r[i + 3]!;
            expect(r[i] === r[i + 2] || r[i + 1] === r[i + 3]).toBeTrue();
          }
        }
        expect(area / 2).toBe(cells.length);
      }),
      { numRuns: 150 },
    );
  });
  it('keep cells that touch only by a corner apart', () => {
    expect(cellOutlines(Int32Array.from([0, 3]), 2).length).toBe(2);
  });
});

describe('sums over discs', () => {
  it('equal plain sums, missing cells left out', () => {
    fc.assert(
      fc.property(grid, fc.double({ min: 0.4, max: 4, noNaN: true }), ([w, h, v], r) => {
        const cells = Float32Array.from(v, (x) => (x === 0 ? NaN : x + 1000));
        discSums(cells, w, h, r, r, (y, sum, count, squares) => {
          for (let x = 0; x < w; x++) {
            const held: number[] = [];
            for (let j = 0; j < h; j++)
              for (let i = 0; i < w; i++)
                if ((i - x) ** 2 + (j - y) ** 2 <= r * r * (1 + 1e-9) && cells[j * w + i] === cells[j * w + i])
                  held.push(cells[j * w + i]!);
            expect(count[x]).toBe(held.length);
            const s = held.reduce((a, b) => a + b, 0);
            expect(sum[x]!).toBeCloseTo(s, 6);
            const m = s / held.length;
            if (held.length)
              expect(squares[x]!).toBeCloseTo(
                held.reduce((a, b) => a + (b - m) ** 2, 0),
                5,
              );
          }
        });
      }),
      { numRuns: 60 },
    );
  });
});

describe('overviews', () => {
  it('average what is there, and take the most frequent class', () => {
    expect([...halve(Float32Array.from([1, 3, NaN, 5, NaN, 4, NaN, NaN, NaN]), 3, 3, 'measure', NaN)]).toEqual([
      3,
      4,
      NaN,
      NaN,
    ]);
    const M = MISSING_CLASS;
    expect([...halve(Int32Array.from([1, 2, 2, M]), 2, 2, 'category', M)]).toEqual([2]);
    expect([...halve(Int32Array.from([M, M, 7, M]), 2, 2, 'category', M)]).toEqual([7]);
  });
});

describe('resampling', () => {
  const source = { cells: Float32Array.from([0, 10, NaN, 30]), width: 2, height: 2, missing: NaN };
  const read = (how: 'nearest' | 'bilinear' | 'cubic', u: number, v: number): number => {
    const out = new Float64Array(1);
    resampleRow(source, how, Float64Array.of(u), Float64Array.of(v), out, 0, 1, 0.5, 0.5);
    return out[0]!;
  };
  it('does not let missing cells bleed, nor values beyond the edge', () => {
    expect(read('nearest', 0.9, 0.1)).toBe(0);
    expect(read('bilinear', 1, 0.5)).toBe(5);
    expect(read('bilinear', 0.5, 1.2)).toBeNaN();
    // Beside the missing cell the three others share its weight.
    expect(read('bilinear', 1.25, 0.75)).toBeCloseTo(
      (0.75 * 0.25 * 0 + 0.75 * 0.75 * 10 + 0.25 * 0.75 * 30) / (0.75 * 0.25 + 0.75 * 0.75 + 0.25 * 0.75),
      12,
    );
    expect(read('cubic', 0.2, 0.2)).toBe(0);
    expect(read('bilinear', -0.01, 0.5)).toBeNaN();
    expect(read('nearest', 2, 0.5)).toBeNaN();
    expect(read('nearest', NaN, 0.5)).toBeNaN();
  });
});

describe('isolines', () => {
  it('lie between cells above and below, on random grids', () => {
    fc.assert(
      fc.property(grid, ([w, h, v]) => {
        const cells = Float32Array.from(v);
        for (const line of isolines(cells, w, h, 4.5)) {
          for (let i = 0; i < line.length; i += 2) {
            const x = line[i]! - 0.5;
            const y = line[i + 1]! - 0.5;
            const [x0, y0] = [Math.floor(x + 1e-9), Math.floor(y + 1e-9)];
            const across = x - x0 > 1e-9;
            const a = cells[y0 * w + x0]!;
            const b = across ? cells[y0 * w + x0 + 1]! : cells[(y0 + 1) * w + x0]!;
            expect(a >= 4.5).not.toBe(b >= 4.5);
            expect(a + (across ? x - x0 : y - y0) * (b - a)).toBeCloseTo(4.5, 6);
          }
        }
      }),
      { numRuns: 80 },
    );
  });
  it('keep their ends when smoothed', () => {
    const l = chaikin(Float64Array.from([0, 0, 1, 0, 1, 1]), 2);
    expect([l[0], l[1], l[l.length - 2], l[l.length - 1]]).toEqual([0, 0, 1, 1]);
  });
});
