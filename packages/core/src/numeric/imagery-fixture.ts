import { readFileSync } from 'node:fs';

interface Eigenpairs {
  values: number[];
  vectors: number[][];
}

/** Values of NumPy, SciPy and scikit-learn on open datasets (`reference/imagery/sklearn_values.py`); for specs only. */
export const reference = JSON.parse(
  readFileSync(new URL('../../../../reference/fixtures/imagery.json', import.meta.url), 'utf8'),
) as {
  iris: { x: number[][]; y: number[] };
  components: Eigenpairs;
  standardised: Eigenpairs;
  inertia: { iris: Record<string, number>; digits: Record<string, number> };
  calinski: Record<string, number>;
  apart: { a: number; b: number; jm: number; td: number }[];
  likelihood: { log: number[][]; classes: number[]; posterior: number[][] };
  digits: { rows: string[]; classes: number[]; half: number };
  forest: { scores: number[] };
  agreement: { truth: number[]; said: number[]; matrix: number[][]; kappa: number };
};

/** Fisher's iris, 150 × 4. */
export const iris = Float32Array.from(reference.iris.x.flat());

const ALPHABET = '0123456789abcdefg';
/** Optical digits, 8 × 8 each. */
export const digits = Float32Array.from(reference.digits.rows.flatMap((r) => [...r].map((c) => ALPHABET.indexOf(c))));
