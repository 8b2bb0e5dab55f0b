import { autocompletion, type Completion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import type { Extension } from '@codemirror/state';
import { FUNCTIONS, scopeOf, textOf, typeName, typeOfVariable, type BotDocument, type Value } from '@primrose/core';

/** What the names of a field are completed from. `last`: the values that variables had after the last turn. */
export interface Knowing {
  readonly document: BotDocument;
  readonly flowId: string;
  readonly last: ReadonlyMap<string, Value>;
  readonly locals: readonly string[];
}

/** Completes names and functions: everywhere in an expression, between braces in a text. */
export function completeNames(knowing: () => Knowing, inBracesOnly: boolean): Extension {
  const source = (context: CompletionContext): CompletionResult | null => {
    const before = context.state.sliceDoc(0, context.pos);
    if (inBracesOnly && before.lastIndexOf('{{') <= before.lastIndexOf('}}')) return null;
    const word = context.matchBefore(/[a-zA-Z_][\w.]*/);
    if (!word && !context.explicit) return null;
    return { from: word?.from ?? context.pos, options: optionsOf(knowing()), validFor: /^[\w.]*$/ };
  };
  return autocompletion({ override: [source], icons: false, closeOnBlur: true });
}

function optionsOf({ document, flowId, last, locals }: Knowing): Completion[] {
  const flow = document.flows[flowId] ?? { nodes: {} };
  const { fields } = scopeOf(document, flow, locals);
  const typeOf = (scope: string, name: string): string => {
    if (scope === 'flow') return typeOfVariable(document, flow, name);
    const table = document.variables?.[scope as 'session' | 'visitor' | 'settings'];
    return typeName(table?.[name]).replace(/\?$/, '');
  };
  const names = [...fields].flatMap(([scope, known]) =>
    [...known].map((name): Completion => {
      const label = `${scope}.${name}`;
      const value = last.get(label);
      const was = value === undefined ? '' : ` = ${textOf(value).slice(0, 40)}`;
      return { label, detail: `${typeOf(scope, name)}${was}`, type: 'variable', boost: scope === 'flow' ? 2 : 1 };
    }),
  );
  const own = locals.map((label): Completion => ({ label, detail: 'only here', type: 'variable', boost: 3 }));
  const functions = Object.entries(FUNCTIONS).map(([label, about]): Completion => {
    return { label, detail: 'function', info: about, type: 'function', apply: `${label}(` };
  });
  return [...own, ...names, ...functions];
}
