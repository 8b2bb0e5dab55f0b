import type { Problem } from '@primrose/core';

/** The page on which a part of the document is edited, by its JSON Pointer. */
function pageOf(field: string): string {
  const [, part = '', name] = field.split('/');
  if (part === 'intents' && name !== undefined) return `understanding/intent/${name}`;
  if (['intents', 'entities', 'contexts', 'out-of-scope'].includes(part)) return 'understanding';
  if (part === 'pages' && name !== undefined) return `pages/${name}`;
  if (part === 'rehearsals' && name !== undefined) return `rehearsals/${name}`;
  return { knowledge: 'knowledge', models: 'models', connections: 'actions', samples: 'actions' }[part] ?? 'settings';
}

/** Where in a bot's pages a problem is mended. */
export function placeOf({ flow, node, field }: Problem): string {
  if (flow !== undefined) return `map/${flow}${node === undefined ? '' : `/${node}`}`;
  return pageOf(field ?? '');
}

/** Errors before warnings, else as they stand in the document. */
export function inOrder(problems: readonly Problem[]): readonly Problem[] {
  return [...problems.filter((p) => p.severity === 'error'), ...problems.filter((p) => p.severity === 'warning')];
}
