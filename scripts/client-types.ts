// Makes the types of packages/client from the OpenAPI document: npm run docs. A spec fails when they are out of date.
import { openApi } from '@helk/core/api/openapi';

type Json = Record<string, unknown>;

const literal = (v: unknown): string => JSON.stringify(v).replaceAll("'", "\\'").replaceAll('"', "'");
const key = (k: string): string => (/^[A-Za-z_$][\w$]*$/.test(k) ? k : literal(k));

/** A JSON schema as a type of TypeScript. */
function typeOf(schema: Json | undefined): string {
  if (!schema || !Object.keys(schema).length) return 'unknown';
  if ('const' in schema) return literal(schema['const']);
  if (Array.isArray(schema['enum'])) return schema['enum'].map(literal).join(' | ');
  const either = (schema['anyOf'] ?? schema['oneOf']) as Json[] | undefined;
  if (either) return [...new Set(either.map(typeOf))].map((t) => (t.includes('|') ? `(${t})` : t)).join(' | ');
  if (Array.isArray(schema['type']))
    return (schema['type'] as string[]).map((type) => typeOf({ ...schema, type })).join(' | ');
  switch (schema['type']) {
    case 'string':
      return schema['format'] === 'binary' ? 'Uint8Array' : 'string';
    case 'number':
    case 'integer':
      return 'number';
    case 'boolean':
      return 'boolean';
    case 'null':
      return 'null';
    case 'array': {
      const places = schema['prefixItems'] as Json[] | undefined;
      if (places) return `[${places.map(typeOf).join(', ')}]`;
      const of = typeOf(schema['items'] as Json | undefined);
      return /[|&]/.test(of) ? `(${of})[]` : `${of}[]`;
    }
    case 'object':
      return objectOf(schema);
    default:
      return 'unknown';
  }
}

function objectOf(schema: Json): string {
  const properties = Object.entries((schema['properties'] ?? {}) as Record<string, Json>);
  const needed = new Set((schema['required'] ?? []) as string[]);
  const more = schema['additionalProperties'];
  const open = more === undefined || more === true || (typeof more === 'object' && more !== null);
  const rest = typeof more === 'object' && more !== null ? typeOf(more as Json) : 'unknown';
  if (!properties.length) return open ? `Record<string, ${rest}>` : 'Record<string, never>';
  const lines = properties.map(([k, s]) => `${key(k)}${needed.has(k) ? '' : '?'}: ${typeOf(s)};`);
  const held = `{ ${lines.join(' ')} }`;
  return more !== undefined && open ? `${held} & Record<string, ${rest}>` : held;
}

interface Operation {
  operationId: string;
  summary: string;
  parameters: { name: string; in: string; required: boolean; schema: Json }[];
  requestBody?: { content: Record<string, { schema: Json }> };
  responses: Record<string, { content?: Record<string, { schema: Json }> }>;
}

/** The file `packages/client/src/operations.ts`. */
export function clientTypes(): string {
  const { paths } = openApi('0') as { paths: Record<string, Record<string, Operation>> };
  const types: string[] = [];
  const table: string[] = [];
  for (const [path, verbs] of Object.entries(paths))
    for (const [verb, o] of Object.entries(verbs)) {
      const of = (where: string): string => {
        const all = o.parameters.filter((p) => p.in === where);
        return all.length
          ? `{ ${all.map((p) => `${key(p.name)}${p.required ? '' : '?'}: ${typeOf(p.schema)};`).join(' ')} }`
          : 'undefined';
      };
      const [body] = Object.values(o.requestBody?.content ?? {});
      const done = Object.entries(o.responses).find(([status]) => status !== 'default');
      const [kind, answer] = Object.entries(done?.[1].content ?? {})[0] ?? ['none', undefined];
      const json = kind === 'application/json';
      types.push(
        `  /** ${o.summary}. */`,
        `  ${o.operationId}: {`,
        `    params: ${of('path')};`,
        `    query: ${of('query')};`,
        `    body: ${body ? typeOf(body.schema) : 'undefined'};`,
        `    answer: ${json ? typeOf(answer!.schema) : kind === 'none' ? 'undefined' : 'Uint8Array'};`,
        '  };',
      );
      table.push(
        `  ${o.operationId}: ['${verb.toUpperCase()}', '${path}', '${json ? 'json' : kind === 'none' ? 'none' : 'bytes'}'],`,
      );
    }
  return [
    '// Made from the OpenAPI document by scripts/client-types.ts (npm run docs); changed there, not here.',
    '// prettier-ignore',
    'export interface Operations {',
    ...types,
    '}',
    '',
    '/** Verb, path and kind of answer of each. */',
    '// prettier-ignore',
    "export const OPERATIONS: Record<keyof Operations, readonly [string, string, 'json' | 'bytes' | 'none']> = {",
    ...table,
    '};',
    '',
  ].join('\n');
}
