import type { Value } from '@primrose/core';
import { CommandFailure, EXIT } from '../outcome.js';

/** `name=value`; numbers, yes and no, lists and objects by `name:=JSON`, all else as the text it is. */
export function inputsIn(inputs: readonly string[]): Record<string, Value> {
  return Object.fromEntries(
    inputs.map((text): [string, Value] => {
      const [, name = '', typed, value = ''] = /^([a-z][a-z0-9_]*)(:?)=(.*)$/s.exec(text) ?? [];
      if (name === '') throw new CommandFailure(EXIT.usage, `"${text}" cannot be read. Write name=value, or name:=JSON.`);
      if (typed === '') return [name, value];
      try {
        return [name, JSON.parse(value) as Value];
      } catch {
        throw new CommandFailure(EXIT.usage, `What follows ${name}:= is no JSON. Write ${name}=${value} for a text.`);
      }
    }),
  );
}
