import { HelkError } from '@helk/core';

export interface Arguments {
  positional: string[];
  in: string[];
  set: string[];
  out: string | null;
  as: string | null;
  crs: string | null;
  find: string | null;
  columns: string | null;
  bbox: string | null;
  method: string | null;
  recipe: string | null;
  names: string | null;
  seed: number;
  json: boolean;
}

/** Options that take one text. */
type Worded = 'out' | 'as' | 'crs' | 'find' | 'columns' | 'bbox' | 'method' | 'recipe' | 'names';

/** Reads the command line after the command's name. @throws HelkError `request.invalid` on anything it does not know. */
export function parseArguments(argv: string[]): Arguments {
  const a: Arguments = {
    positional: [],
    in: [],
    set: [],
    out: null,
    as: null,
    crs: null,
    find: null,
    columns: null,
    bbox: null,
    method: null,
    recipe: null,
    names: null,
    seed: 1,
    json: false,
  };
  for (let i = 0; i < argv.length; i++) {
    const word = argv[i]!;
    const value = (): string => {
      const v = argv[++i];
      if (v === undefined) throw new HelkError('request.invalid', `${word} needs a value.`);
      return v;
    };
    switch (word) {
      case '--json':
        a.json = true;
        break;
      case '--in':
        a.in.push(value());
        break;
      case '--set':
        a.set.push(value());
        break;
      case '--out':
      case '--as':
      case '--crs':
      case '--find':
      case '--columns':
      case '--bbox':
      case '--method':
      case '--recipe':
      case '--names':
        a[word.slice(2) as Worded] = value();
        break;
      case '--seed': {
        const v = value();
        a.seed = Number(v);
        if (!Number.isInteger(a.seed) || a.seed < 0 || a.seed > 4294967295)
          throw new HelkError('request.invalid', `A seed is a whole number from 0 to 4294967295, not "${v}".`);
        break;
      }
      default:
        if (word.startsWith('--')) throw new HelkError('request.invalid', `There is no option "${word}".`);
        a.positional.push(word);
    }
  }
  return a;
}
