import type { Environment } from '@marcbachmann/cel-js';
import { createEnvironment, FUNCTIONS } from './functions.js';

/** The declared types of what a scope holds, by name; what is left out may be anything. */
export type TypedScopes = Readonly<Record<string, Readonly<Record<string, string>>>>;

/** What our types are in CEL. A value of an entity, a date and a time are texts. */
const CEL_TYPES: Readonly<Record<string, string>> = { number: 'double', yes_no: 'bool', list: 'list', object: 'map', any: 'dyn' };
const MOST_ENVIRONMENTS = 200;
const MOST_CHECKED = 20_000;

const environments = new Map<string, Environment>();
const checked = new Map<string, string | null>();

function remember<T>(map: Map<string, T>, most: number, key: string, make: () => T): T {
  const known = map.get(key);
  if (known !== undefined) return known;
  if (map.size >= most) map.clear();
  const made = make();
  map.set(key, made);
  return made;
}

function environmentOf(scopes: TypedScopes, key: string): Environment {
  return remember(environments, MOST_ENVIRONMENTS, key, () => {
    const env = createEnvironment();
    for (const [name, types] of Object.entries(scopes)) {
      const schema = Object.fromEntries(Object.entries(types).map(([n, type]) => [n, CEL_TYPES[type] ?? 'string']));
      env.registerVariable({ name, schema } as never);
    }
    return env;
  });
}

/**
 * What does not fit in an expression that can be read, by the types that are declared: a number compared with a text, a
 * function with other arguments than it takes. Undefined where nothing is wrong, or nobody can tell.
 */
export function typeMistake(source: string, scopes: TypedScopes): string | undefined {
  const key = JSON.stringify(scopes);
  return remember(checked, MOST_CHECKED, `${key}\n${source}`, () => mistake(source, environmentOf(scopes, key))) ?? undefined;
}

function mistake(source: string, env: Environment): string | null {
  // Whether something is there is asked of any type; the library knows that for values of no type only.
  if (/\bnull\b/.test(source)) return null;
  const { valid, error } = env.check(source) as { valid: boolean; error?: { code?: string; summary?: string; message: string } };
  if (valid || !error) return null;
  return mistakeWords(error.code ?? '', error.summary ?? error.message);
}

const TYPE_WORDS: Readonly<Record<string, string>> = {
  string: 'a text',
  double: 'a number',
  int: 'a number',
  bool: 'yes or no',
  list: 'a list',
  map: 'an object',
  null: 'nothing',
};
const wordOf = (type: string): string => TYPE_WORDS[/^(?:dyn<)?([a-z]+)/.exec(type.trim())?.[1] ?? ''] ?? type.trim();

/** The words for a mistake that the library found; null for what other checks say better. */
export function mistakeWords(code: string, summary: string): string | null {
  const call = /for '(?:(.+?)\.)?(\w+)\((.*)\)'/.exec(summary);
  if (code === 'no_matching_overload' && call) {
    const [, on, name = '', given = ''] = call;
    const own = FUNCTIONS[name];
    const what =
      given === ''
        ? 'nothing'
        : given
            .split(/,\s*(?![^<]*>)/)
            .map(wordOf)
            .join(', ');
    const used = own === undefined ? '' : `; it is used as ${own.split(':')[0] ?? name}`;
    return `${name} cannot be used ${on === undefined ? '' : `on ${wordOf(on)} `}with ${what}${used}`;
  }
  const sides = /no such overload: (.+?) (==|!=|<=|>=|<|>|\+|-|\*|\/|%|in) (.+)$/.exec(summary);
  if (code === 'no_such_overload' && sides) {
    const [, left = '', sign = '', right = ''] = sides;
    return `${sign} does not work between ${wordOf(left)} and ${wordOf(right)}`;
  }
  if (code === 'invalid_logical_operand' || code === 'invalid_condition_type') return 'a condition has to be yes or no here';
  return null;
}
