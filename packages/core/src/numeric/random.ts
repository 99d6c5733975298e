const GOLDEN = 0x9e3779b9;

/** The mixing of SplitMix32. */
function mixed(x: number): number {
  let z = x | 0;
  z = Math.imul(z ^ (z >>> 16), 0x85ebca6b);
  z = Math.imul(z ^ (z >>> 13), 0xc2b2ae35);
  return (z ^ (z >>> 16)) >>> 0;
}

/** A whole number in [0, 2³²) that follows no order of the numbers it is made from. */
export const scrambled = (k: number): number => mixed(Math.imul(k + 1, GOLDEN));

/**
 * Seeded random numbers: xoshiro128** (Blackman and Vigna 2021, doi:10.1145/3460772), state filled by SplitMix32.
 * Randomness in a method comes only from here, so that the seed in the lineage repeats the result.
 */
export class Random {
  private readonly s = new Uint32Array(4);
  private spare = NaN;

  constructor(readonly seed: number) {
    for (let i = 0; i < 4; i++) this.s[i] = mixed((seed + Math.imul(i + 1, GOLDEN)) | 0);
  }

  /** A whole number in [0, 2³²). */
  uint32(): number {
    const s = this.s;
    const r5 = Math.imul(s[1]!, 5);
    const result = Math.imul((r5 << 7) | (r5 >>> 25), 9) >>> 0;
    const t = s[1]! << 9;
    s[2]! ^= s[0]!;
    s[3]! ^= s[1]!;
    s[1]! ^= s[2]!;
    s[0]! ^= s[3]!;
    s[2]! ^= t;
    s[3] = (s[3]! << 11) | (s[3]! >>> 21);
    return result;
  }

  /** Uniform in [0, 1). */
  uniform(): number {
    return this.uint32() / 4294967296;
  }

  /** A whole number in [0, n). */
  below(n: number): number {
    return Math.floor(this.uniform() * n);
  }

  /** Standard normal by the polar method (Marsaglia and Bray 1964). */
  normal(): number {
    if (!Number.isNaN(this.spare)) {
      const v = this.spare;
      this.spare = NaN;
      return v;
    }
    let u = 0;
    let v = 0;
    let q = 0;
    do {
      u = 2 * this.uniform() - 1;
      v = 2 * this.uniform() - 1;
      q = u * u + v * v;
    } while (q >= 1 || q === 0);
    const f = Math.sqrt((-2 * Math.log(q)) / q);
    this.spare = v * f;
    return u * f;
  }
}
