import { FormulaError, GEOMETRY_FUNCTIONS, type Node } from './parse';

export const BLOCK = 4096;
/** Numbers with NaN for missing, or texts with null for missing. */
export type FormulaColumn = ArrayLike<number> | readonly (string | null)[];
/** Computes `n` values from `start` on into `out`. */
export type Step = (start: number, n: number, out: Float64Array) => void;
type TextStep = (start: number, n: number, out: (string | null)[]) => void;
/** What a formula gives: numbers (truth as 1 and 0) or texts. */
export type Compiled = { type: 'number'; step: Step } | { type: 'text'; step: TextStep };

export interface FormulaNames {
  /** Values of a name, or undefined when there is none of that name. An empty list of a known name does for checking. */
  column: (name: string) => FormulaColumn | undefined;
  /** Whether a name holds texts. */
  isText?: (name: string) => boolean;
  /** What there is, for the refusal. */
  known: string[];
  /** Values of `area`, `length`, `x`, `y` in a unit; absent where there is no geometry. @throws HelkError for a unit that does not fit. */
  geometry?: (name: string, unit: string | null) => ArrayLike<number>;
}

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
 * A formula as a chain of loops over blocks of values; missing in, missing out, but for `isMissing`, `coalesce` and the branch of a choice
 * that is not taken. `+` joins when either side is a text; texts compare by their characters.
 *
 * @throws FormulaError naming what is not known, and what is; or which kind of value does not fit
 */
export function compile(node: Node, names: FormulaNames): Compiled {
  const number = (n: Node, of: string): Step => {
    const c = make(n);
    if (c.type === 'text') throw new FormulaError(`${of} takes numbers, not a text.`, 0);
    return c.step;
  };
  const text = (n: Node): TextStep => asText(make(n));
  const make = (n: Node): Compiled => {
    switch (n.kind) {
      case 'number':
        return numeric((_s, k, out) => void out.fill(n.value, 0, k));
      case 'text':
        return {
          type: 'text',
          step: (_s, k, out) => {
            for (let i = 0; i < k; i++) out[i] = n.value;
          },
        };
      case 'name': {
        const c = names.column(n.name);
        if (!c) {
          if (n.name === 'PI' || n.name === 'E')
            return numeric((_s, k, out) => void out.fill(n.name === 'PI' ? Math.PI : Math.E, 0, k));
          throw new FormulaError(`There is nothing called "${n.name}"; there is ${names.known.join(', ')}.`, 0);
        }
        if (names.isText?.(n.name)) {
          const t = c as readonly (string | null)[];
          return {
            type: 'text',
            step: (s, k, out) => {
              for (let i = 0; i < k; i++) out[i] = t[s + i]!;
            },
          };
        }
        const v = c as ArrayLike<number>;
        return numeric((s, k, out) => {
          for (let i = 0; i < k; i++) out[i] = v[s + i]!;
        });
      }
      case 'unary': {
        const a = number(n.a, n.op);
        return numeric(
          n.op === '-'
            ? (s, k, out) => {
                a(s, k, out);
                for (let i = 0; i < k; i++) out[i] = -out[i]!;
              }
            : (s, k, out) => {
                a(s, k, out);
                for (let i = 0; i < k; i++) out[i] = out[i]! !== out[i]! ? NaN : Number(out[i] === 0);
              },
        );
      }
      case 'binary': {
        const [a, b] = [make(n.a), make(n.b)];
        if (a.type === 'text' || b.type === 'text') {
          if (n.op === '+') return { type: 'text', step: joined(asText(a), asText(b)) };
          const compare = TEXT_BINARY[n.op];
          if (!compare) throw new FormulaError(`"${n.op}" takes numbers, not a text.`, 0);
          if (a.type !== b.type)
            throw new FormulaError(
              `"${n.op}" compares a number with a text; write the number in quotes, or text(…).`,
              0,
            );
          return numeric(compared(asText(a), asText(b), compare));
        }
        return numeric(fold([a.step, b.step], BINARY[n.op]!));
      }
      case 'choice': {
        const t = number(n.test, 'A choice');
        const [a, b] = [make(n.a), make(n.b)];
        if (a.type === 'text' || b.type === 'text') {
          const [p, q] = [asText(a), asText(b)];
          const test = new Float64Array(BLOCK);
          const other: (string | null)[] = [];
          return {
            type: 'text',
            step: (s, k, out) => {
              t(s, k, test);
              p(s, k, out);
              q(s, k, other);
              for (let i = 0; i < k; i++)
                if (!(test[i]! > 0 || test[i]! < 0)) out[i] = test[i] === 0 ? other[i]! : null;
            },
          };
        }
        const u = new Float64Array(BLOCK);
        const v = new Float64Array(BLOCK);
        return numeric((s, k, out) => {
          t(s, k, out);
          a.step(s, k, u);
          b.step(s, k, v);
          for (let i = 0; i < k; i++) out[i] = out[i]! !== out[i]! ? NaN : out[i] !== 0 ? u[i]! : v[i]!;
        });
      }
      case 'call':
        return call(n);
    }
  };
  const call = (n: Extract<Node, { kind: 'call' }>): Compiled => {
    if (Object.hasOwn(GEOMETRY_FUNCTIONS, n.name)) {
      if (!names.geometry) throw new FormulaError(`${n.name}() asks for a place; there is no geometry here.`, 0);
      const arg = n.args[0];
      if (arg && arg.kind !== 'name' && arg.kind !== 'text')
        throw new FormulaError(`${n.name} takes a unit, like ${n.name}(${GEOMETRY_FUNCTIONS[n.name]![1]}).`, 0);
      const unit = arg ? (arg.kind === 'name' ? arg.name : arg.value) : null;
      const v = names.geometry(n.name, unit);
      return numeric((s, k, out) => {
        for (let i = 0; i < k; i++) out[i] = v[s + i]!;
      });
    }
    if (n.name === 'text') {
      const a = make(n.args[0]!);
      if (a.type === 'text') return a;
      const digits = n.args[1];
      if (
        digits &&
        !(digits.kind === 'number' && Number.isInteger(digits.value) && digits.value >= 0 && digits.value <= 12)
      )
        throw new FormulaError('The digits of text(value, digits) are a whole number from 0 to 12.', 0);
      return { type: 'text', step: written(a.step, digits ? (digits as { value: number }).value : null) };
    }
    if (n.name === 'lower' || n.name === 'upper') {
      const a = text(n.args[0]!);
      const lower = n.name === 'lower';
      return {
        type: 'text',
        step: (s, k, out) => {
          a(s, k, out);
          for (let i = 0; i < k; i++) out[i] = (lower ? out[i]?.toLowerCase() : out[i]?.toUpperCase()) ?? null;
        },
      };
    }
    const args = n.args.map(make);
    if (args.some((a) => a.type === 'text')) {
      if (n.name === 'isMissing') {
        const a = asText(args[0]!);
        const held: (string | null)[] = [];
        return numeric((s, k, out) => {
          a(s, k, held);
          for (let i = 0; i < k; i++) out[i] = Number(held[i] === null);
        });
      }
      if (n.name === 'coalesce') {
        const parts = args.map(asText);
        const held: (string | null)[] = [];
        return {
          type: 'text',
          step: (s, k, out) => {
            parts[0]!(s, k, out);
            for (const p of parts.slice(1)) {
              p(s, k, held);
              for (let i = 0; i < k; i++) out[i] ??= held[i]!;
            }
          },
        };
      }
      throw new FormulaError(`${n.name} takes numbers, not a text.`, 0);
    }
    const steps = args.map((a) => a.step as Step);
    const one = UNARY[n.name];
    if (one || n.name === 'isMissing') {
      const f = one ?? ((v: number) => Number(v !== v));
      return numeric((s, k, out) => {
        steps[0]!(s, k, out);
        for (let i = 0; i < k; i++) out[i] = f(out[i]!);
      });
    }
    if (n.name === 'clamp') return numeric(fold([fold([steps[0]!, steps[1]!], FOLD['max']!), steps[2]!], FOLD['min']!));
    return numeric(fold(steps, FOLD[n.name]!));
  };
  return make(node);
}

/** As `compile`, where only numbers make sense. @throws FormulaError when the formula gives a text */
export function compileFormula(node: Node, names: FormulaNames): Step {
  const c = compile(node, names);
  if (c.type === 'text') throw new FormulaError('The formula gives a text; a number is wanted here.', 0);
  return c.step;
}

const numeric = (step: Step): Compiled => ({ type: 'number', step });

const TEXT_BINARY: Record<string, (a: string, b: string) => boolean> = {
  '==': (a, b) => a === b,
  '===': (a, b) => a === b,
  '!=': (a, b) => a !== b,
  '!==': (a, b) => a !== b,
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
};

const asText = (c: Compiled): TextStep => (c.type === 'text' ? c.step : written(c.step, null));

/** Numbers as texts: with so many digits, or as short as twelve of them allow. */
function written(a: Step, digits: number | null): TextStep {
  const u = new Float64Array(BLOCK);
  return (s, k, out) => {
    a(s, k, u);
    for (let i = 0; i < k; i++) {
      const v = u[i]!;
      out[i] = v !== v ? null : digits === null ? String(Number(v.toPrecision(12))) : v.toFixed(digits);
    }
  };
}

function joined(a: TextStep, b: TextStep): TextStep {
  const held: (string | null)[] = [];
  return (s, k, out) => {
    a(s, k, out);
    b(s, k, held);
    for (let i = 0; i < k; i++) out[i] = out[i] === null || held[i] === null ? null : out[i]! + held[i]!;
  };
}

function compared(a: TextStep, b: TextStep, f: (a: string, b: string) => boolean): Step {
  const p: (string | null)[] = [];
  const q: (string | null)[] = [];
  return (s, k, out) => {
    a(s, k, p);
    b(s, k, q);
    for (let i = 0; i < k; i++) out[i] = p[i] === null || q[i] === null ? NaN : Number(f(p[i]!, q[i]!));
  };
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
