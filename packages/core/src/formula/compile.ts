import { FormulaError, type Node } from './parse';

export const BLOCK = 4096;
type Column = ArrayLike<number>;
/** Computes `n` values from `start` on into `out`. */
type Step = (start: number, n: number, out: Float64Array) => void;

/** Plain functions of one number. */
const UNARY: Record<string, (v: number) => number> = {
  abs: Math.abs,
  round: Math.round,
  floor: Math.floor,
  ceil: Math.ceil,
  sqrt: Math.sqrt,
  exp: Math.exp,
  log: Math.log,
  log10: Math.log10,
  sin: Math.sin,
  cos: Math.cos,
  tan: Math.tan,
};

/** NaN stands for missing: arithmetic passes it on by itself, comparison and logic are made to. */
const truth = (v: number, a: number, b: number): number => (a !== a || b !== b ? NaN : v);
const BINARY: Record<string, (a: number, b: number) => number> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => a / b,
  '%': (a, b) => a % b,
  '**': (a, b) => a ** b,
  '<': (a, b) => truth(Number(a < b), a, b),
  '<=': (a, b) => truth(Number(a <= b), a, b),
  '>': (a, b) => truth(Number(a > b), a, b),
  '>=': (a, b) => truth(Number(a >= b), a, b),
  '==': (a, b) => truth(Number(a === b), a, b),
  '===': (a, b) => truth(Number(a === b), a, b),
  '!=': (a, b) => truth(Number(a !== b), a, b),
  '!==': (a, b) => truth(Number(a !== b), a, b),
  '&&': (a, b) => truth(Number(a !== 0 && b !== 0), a, b),
  '||': (a, b) => truth(Number(a !== 0 || b !== 0), a, b),
};
const FOLD: Record<string, (a: number, b: number) => number> = {
  min: (a, b) => (a !== a || b !== b ? NaN : Math.min(a, b)),
  max: (a, b) => (a !== a || b !== b ? NaN : Math.max(a, b)),
  hypot: (a, b) => Math.hypot(a, b),
  pow: (a, b) => a ** b,
  atan2: (a, b) => Math.atan2(a, b),
  coalesce: (a, b) => (a === a ? a : b),
};

/**
 * A formula as a chain of loops over blocks of numbers; missing (NaN) in, missing out, but for `isMissing`, `coalesce` and the
 * branch of a choice that is not taken.
 *
 * @param column values of a name, or undefined when there is none of that name
 * @throws FormulaError naming what is not known, and what is
 */
export function compileFormula(node: Node, column: (name: string) => Column | undefined, known: string[]): Step {
  const make = (n: Node): Step => {
    switch (n.kind) {
      case 'number':
        return (_s, k, out) => void out.fill(n.value, 0, k);
      case 'name': {
        const c = column(n.name);
        if (!c) {
          if (n.name === 'PI' || n.name === 'E')
            return (_s, k, out) => void out.fill(n.name === 'PI' ? Math.PI : Math.E, 0, k);
          throw new FormulaError(`There is nothing called "${n.name}"; there is ${known.join(', ')}.`, 0);
        }
        return (s, k, out) => {
          for (let i = 0; i < k; i++) out[i] = c[s + i]!;
        };
      }
      case 'unary': {
        const a = make(n.a);
        return n.op === '-'
          ? (s, k, out) => {
              a(s, k, out);
              for (let i = 0; i < k; i++) out[i] = -out[i]!;
            }
          : (s, k, out) => {
              a(s, k, out);
              for (let i = 0; i < k; i++) out[i] = out[i]! !== out[i]! ? NaN : Number(out[i] === 0);
            };
      }
      case 'binary':
        return fold([make(n.a), make(n.b)], BINARY[n.op]!);
      case 'choice': {
        const [t, a, b] = [make(n.test), make(n.a), make(n.b)];
        const u = new Float64Array(BLOCK);
        const v = new Float64Array(BLOCK);
        return (s, k, out) => {
          t(s, k, out);
          a(s, k, u);
          b(s, k, v);
          for (let i = 0; i < k; i++) out[i] = out[i]! !== out[i]! ? NaN : out[i] !== 0 ? u[i]! : v[i]!;
        };
      }
      case 'call': {
        const args = n.args.map(make);
        const one = UNARY[n.name];
        if (one || n.name === 'isMissing') {
          const f = one ?? ((v: number) => Number(v !== v));
          return (s, k, out) => {
            args[0]!(s, k, out);
            for (let i = 0; i < k; i++) out[i] = f(out[i]!);
          };
        }
        if (n.name === 'clamp') return fold([fold([args[0]!, args[1]!], FOLD['max']!), args[2]!], FOLD['min']!);
        return fold(args, FOLD[n.name]!);
      }
    }
  };
  return make(node);
}

function fold(parts: Step[], f: (a: number, b: number) => number): Step {
  const u = new Float64Array(BLOCK);
  return (s, k, out) => {
    parts[0]!(s, k, out);
    for (let p = 1; p < parts.length; p++) {
      parts[p]!(s, k, u);
      for (let i = 0; i < k; i++) out[i] = f(out[i]!, u[i]!);
    }
  };
}
