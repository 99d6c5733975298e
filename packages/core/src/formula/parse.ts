import jsep from 'jsep';
import { HelkError } from '../errors';

// Only what the language has: no assignment, no calls on members, no `this`.
jsep.removeBinaryOp('|');
jsep.removeBinaryOp('^');
jsep.removeBinaryOp('&');
jsep.removeBinaryOp('<<');
jsep.removeBinaryOp('>>');
jsep.removeBinaryOp('>>>');
jsep.removeUnaryOp('~');
jsep.addBinaryOp('**', 11, true);

/** Functions of the language and how many arguments they take. */
export const FUNCTIONS: Record<string, [least: number, most: number]> = {
  abs: [1, 1],
  min: [1, 20],
  max: [1, 20],
  round: [1, 1],
  floor: [1, 1],
  ceil: [1, 1],
  sqrt: [1, 1],
  pow: [2, 2],
  exp: [1, 1],
  log: [1, 1],
  log10: [1, 1],
  sin: [1, 1],
  cos: [1, 1],
  tan: [1, 1],
  atan2: [2, 2],
  hypot: [1, 20],
  clamp: [3, 3],
  isMissing: [1, 1],
  coalesce: [1, 20],
  if: [3, 3],
  text: [1, 2],
  lower: [1, 1],
  upper: [1, 1],
  area: [0, 1],
  length: [0, 1],
  x: [0, 0],
  y: [0, 0],
};

/** Functions of the geometry: what they measure, and a unit as an example. */
export const GEOMETRY_FUNCTIONS: Record<string, [dimension: 'area' | 'length' | 'place', unit: string]> = {
  area: ['area', 'ha'],
  length: ['length', 'km'],
  x: ['place', ''],
  y: ['place', ''],
};

export type Node =
  | { kind: 'number'; value: number }
  | { kind: 'text'; value: string }
  | { kind: 'name'; name: string }
  | { kind: 'unary'; op: '-' | '!'; a: Node }
  | { kind: 'binary'; op: string; a: Node; b: Node }
  | { kind: 'choice'; test: Node; a: Node; b: Node }
  | { kind: 'call'; name: string; args: Node[] };

/** A refusal that knows the character it is about. */
export class FormulaError extends HelkError {
  constructor(
    message: string,
    readonly at: number,
  ) {
    super('method.parameter', message, 'formula');
  }
}

const BINARY = new Set(['+', '-', '*', '/', '%', '**', '<', '<=', '>', '>=', '==', '!=', '===', '!==', '&&', '||']);

/**
 * Reads an expression of the formula language: the arithmetic, comparison and logic of ECMAScript, names, `[odd names]`,
 * texts in quotes and the functions above. Nothing is ever evaluated as code.
 *
 * @throws FormulaError with the character where it stops making sense.
 */
export function parseFormula(text: string): Node {
  if (text.trim() === '') throw new FormulaError('The formula is empty.', 0);
  if (text.length > 2000) throw new FormulaError('A formula has at most 2000 characters.', 2000);
  // [odd name] becomes a plain identifier of the same length, so that places stay right.
  const odd = new Map<string, string>();
  const plain = text.replace(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|\[([^\][]+)\]/g, (whole, name?: string) => {
    if (name === undefined) return whole;
    const id = `$${odd.size}`.padEnd(whole.length, '_');
    odd.set(id, name.trim());
    return id;
  });
  let tree: jsep.Expression;
  try {
    // "if" is a word of the host language but a function of ours.
    tree = jsep(plain.replace(/\bif(\s*\()/g, '$i$1'));
  } catch (e) {
    const { index, description } = e as { index?: number; description?: string };
    const at = Math.min(text.length, index ?? 0);
    throw new FormulaError(
      `${description ?? 'The formula cannot be read'} at character ${at + 1}${at < text.length ? ` ("${text.slice(at, at + 12)}")` : ', its end'}.`,
      at,
    );
  }
  return convert(tree, odd, text);
}

function convert(e: jsep.Expression, odd: Map<string, string>, text: string): Node {
  const node = e as jsep.CoreExpression;
  const no = (what: string, word = ''): never => {
    throw new FormulaError(what, Math.max(0, word ? text.indexOf(word) : 0));
  };
  const go = (x: jsep.Expression): Node => convert(x, odd, text);
  switch (node.type) {
    case 'Literal':
      if (typeof node.value === 'number') return { kind: 'number', value: node.value };
      if (typeof node.value === 'boolean') return { kind: 'number', value: node.value ? 1 : 0 };
      if (typeof node.value === 'string') return { kind: 'text', value: node.value };
      return no(`${node.raw} is not part of the language.`, node.raw);
    case 'Identifier':
      return { kind: 'name', name: odd.get(node.name) ?? node.name };
    case 'UnaryExpression':
      if (node.operator === '+') return go(node.argument);
      if (node.operator === '-' || node.operator === '!')
        return { kind: 'unary', op: node.operator, a: go(node.argument) };
      return no(`"${node.operator}" is not part of the language.`, node.operator);
    case 'BinaryExpression':
      if (!BINARY.has(node.operator)) return no(`"${node.operator}" is not part of the language.`, node.operator);
      return { kind: 'binary', op: node.operator, a: go(node.left), b: go(node.right) };
    case 'ConditionalExpression':
      return { kind: 'choice', test: go(node.test), a: go(node.consequent), b: go(node.alternate) };
    case 'CallExpression': {
      const callee = node.callee as jsep.CoreExpression;
      const name = callee.type === 'Identifier' ? (callee.name === '$i' ? 'if' : callee.name) : '';
      const arity = Object.hasOwn(FUNCTIONS, name) ? FUNCTIONS[name] : undefined;
      if (!arity)
        return no(`There is no function "${name || text}"; there are ${Object.keys(FUNCTIONS).join(', ')}.`, name);
      const n = node.arguments.length;
      if (n < arity[0] || n > arity[1])
        return no(
          `${name} takes ${arity[0] === arity[1] ? arity[0] : `${arity[0]} to ${arity[1]}`} arguments, not ${n}.`,
          name,
        );
      const args = node.arguments.map(go);
      return name === 'if'
        ? { kind: 'choice', test: args[0]!, a: args[1]!, b: args[2]! }
        : { kind: 'call', name, args };
    }
    case 'Compound':
      return no('There are two expressions; an operator is missing between them.');
    default:
      return no('Only numbers, names, operators and functions can stand in a formula.');
  }
}

/** Names a formula uses, each once, in order. */
export function namesIn(node: Node, found: string[] = []): string[] {
  const each = (...n: Node[]): void => n.forEach((x) => namesIn(x, found));
  if (node.kind === 'name') {
    if (!found.includes(node.name)) found.push(node.name);
  } else if (node.kind === 'unary') each(node.a);
  else if (node.kind === 'binary') each(node.a, node.b);
  else if (node.kind === 'choice') each(node.test, node.a, node.b);
  // The argument of area(ha) is a unit, not a name.
  else if (node.kind === 'call' && !Object.hasOwn(GEOMETRY_FUNCTIONS, node.name)) each(...node.args);
  return found;
}
