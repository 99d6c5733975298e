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
  return new Compiler(names).make(node);
}

type Of<K extends Node['kind']> = Extract<Node, { kind: K }>;

class Compiler {
  constructor(private readonly names: FormulaNames) {}

  make(n: Node): Compiled {
    switch (n.kind) {
      case 'number':
        return numeric((_s, k, out) => void out.fill(n.value, 0, k));
      case 'text':
        return textual((_s, k, out) => {
          for (let i = 0; i < k; i++) out[i] = n.value;
        });
      case 'name':
        return this.name(n);
      case 'unary':
        return this.unary(n);
      case 'binary':
        return this.binary(n);
      case 'choice':
        return this.choice(n);
      case 'call':
        return this.call(n);
    }
  }

  private number(n: Node, of: string): Step {
    const c = this.make(n);
    if (c.type === 'text') throw new FormulaError(`${of} takes numbers, not a text.`, 0);
    return c.step;
  }

  private name(n: Of<'name'>): Compiled {
    const { names } = this;
    const c = names.column(n.name);
    if (!c) {
      if (n.name === 'PI' || n.name === 'E')
        return numeric((_s, k, out) => void out.fill(n.name === 'PI' ? Math.PI : Math.E, 0, k));
      throw new FormulaError(`There is nothing called "${n.name}"; there is ${names.known.join(', ')}.`, 0);
    }
    if (names.isText?.(n.name)) {
      const t = c as readonly (string | null)[];
      return textual((s, k, out) => {
        for (let i = 0; i < k; i++) out[i] = t[s + i]!;
      });
    }
    return values(c as ArrayLike<number>);
  }

  private unary(n: Of<'unary'>): Compiled {
    const a = this.number(n.a, n.op);
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

  private binary(n: Of<'binary'>): Compiled {
    const [a, b] = [this.make(n.a), this.make(n.b)];
    if (a.type === 'number' && b.type === 'number') return numeric(fold([a.step, b.step], BINARY[n.op]!));
    if (n.op === '+') return textual(joined(asText(a), asText(b)));
    const compare = TEXT_BINARY[n.op];
    if (!compare) throw new FormulaError(`"${n.op}" takes numbers, not a text.`, 0);
    if (a.type !== b.type)
      throw new FormulaError(`"${n.op}" compares a number with a text; write the number in quotes, or text(…).`, 0);
    return numeric(compared(asText(a), asText(b), compare));
  }

  private choice(n: Of<'choice'>): Compiled {
    const t = this.number(n.test, 'A choice');
    const [a, b] = [this.make(n.a), this.make(n.b)];
    if (a.type === 'text' || b.type === 'text') {
      const [p, q] = [asText(a), asText(b)];
      const test = new Float64Array(BLOCK);
      const other: (string | null)[] = [];
      return textual((s, k, out) => {
        t(s, k, test);
        p(s, k, out);
        q(s, k, other);
        for (let i = 0; i < k; i++) if (!(test[i]! > 0 || test[i]! < 0)) out[i] = test[i] === 0 ? other[i]! : null;
      });
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

  private call(n: Of<'call'>): Compiled {
    if (Object.hasOwn(GEOMETRY_FUNCTIONS, n.name)) return this.geometry(n);
    if (n.name === 'text') return this.written(n);
    if (n.name === 'lower' || n.name === 'upper') {
      const a = asText(this.make(n.args[0]!));
      const lower = n.name === 'lower';
      return textual((s, k, out) => {
        a(s, k, out);
        for (let i = 0; i < k; i++) out[i] = (lower ? out[i]?.toLowerCase() : out[i]?.toUpperCase()) ?? null;
      });
    }
    const args = n.args.map((a) => this.make(a));
    if (args.some((a) => a.type === 'text')) return callOfTexts(n.name, args.map(asText));
    return callOfNumbers(
      n.name,
      args.map((a) => a.step as Step),
    );
  }

  private geometry(n: Of<'call'>): Compiled {
    if (!this.names.geometry) throw new FormulaError(`${n.name}() asks for a place; there is no geometry here.`, 0);
    const arg = n.args[0];
    if (arg && arg.kind !== 'name' && arg.kind !== 'text')
      throw new FormulaError(`${n.name} takes a unit, like ${n.name}(${GEOMETRY_FUNCTIONS[n.name]![1]}).`, 0);
    return values(this.names.geometry(n.name, arg ? (arg.kind === 'name' ? arg.name : arg.value) : null));
  }

  private written(n: Of<'call'>): Compiled {
    const a = this.make(n.args[0]!);
    if (a.type === 'text') return a;
    const digits = n.args[1];
    if (
      digits &&
      !(digits.kind === 'number' && Number.isInteger(digits.value) && digits.value >= 0 && digits.value <= 12)
    )
      throw new FormulaError('The digits of text(value, digits) are a whole number from 0 to 12.', 0);
    return textual(written(a.step, digits ? (digits as { value: number }).value : null));
  }
}

/** What can be asked of texts. */
function callOfTexts(name: string, parts: TextStep[]): Compiled {
  const held: (string | null)[] = [];
  if (name === 'isMissing')
    return numeric((s, k, out) => {
      parts[0]!(s, k, held);
      for (let i = 0; i < k; i++) out[i] = Number(held[i] === null);
    });
  if (name === 'coalesce')
    return textual((s, k, out) => {
      parts[0]!(s, k, out);
      for (const p of parts.slice(1)) {
        p(s, k, held);
        for (let i = 0; i < k; i++) out[i] ??= held[i]!;
      }
    });
  throw new FormulaError(`${name} takes numbers, not a text.`, 0);
}

function callOfNumbers(name: string, steps: Step[]): Compiled {
  const one = UNARY[name];
  if (one || name === 'isMissing') {
    const f = one ?? ((v: number) => Number(v !== v));
    return numeric((s, k, out) => {
      steps[0]!(s, k, out);
      for (let i = 0; i < k; i++) out[i] = f(out[i]!);
    });
  }
  if (name === 'clamp') return numeric(fold([fold([steps[0]!, steps[1]!], FOLD['max']!), steps[2]!], FOLD['min']!));
  return numeric(fold(steps, FOLD[name]!));
}

/** As `compile`, where only numbers make sense. @throws FormulaError when the formula gives a text */
export function compileFormula(node: Node, names: FormulaNames): Step {
  const c = compile(node, names);
  if (c.type === 'text') throw new FormulaError('The formula gives a text; a number is wanted here.', 0);
  return c.step;
}

const numeric = (step: Step): Compiled => ({ type: 'number', step });
const textual = (step: TextStep): Compiled => ({ type: 'text', step });
const values = (v: ArrayLike<number>): Compiled =>
  numeric((s, k, out) => {
    for (let i = 0; i < k; i++) out[i] = v[s + i]!;
  });

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
