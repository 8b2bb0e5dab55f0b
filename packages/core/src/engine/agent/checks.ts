import { countFields, MOST_FIELDS } from '../model-answer.js';
import { actionNames, actionTarget, findAction } from '../../document/actions.js';
import type { BotDocument } from '../../document/schema.js';
import { nearest } from '../../text/nearest.js';
import { Compiler } from '../compiler.js';
import type { Found, Place, Reference } from '../kind.js';
import { partProblems } from '../prompt/parts.js';
import type { AgentNode, AgentTool } from './declared.js';
import { alikeTools, keptWishes } from './likeness.js';
import { readyTools } from './tools.js';

/** With more tools than this models choose worse. */
const FEW_TOOLS = 4;

/** What an agent refers to in the rest of the bot. */
export function agentRefers(node: AgentNode): Reference[] {
  const tools = (node.tools ?? []).flatMap((t, i): Reference[] => {
    if (t.off) return [];
    if ('runs' in t) return [{ to: 'action', name: t.runs, field: `/tools/${i}/runs` }];
    if ('lookup' in t) return [{ to: 'knowledge', name: t.lookup, field: `/tools/${i}/lookup` }];
    if ('table' in t) return [{ to: 'table', name: t.table, field: `/tools/${i}/table` }];
    return 'flow' in t ? [{ to: 'flow', name: t.flow, field: `/tools/${i}/flow` }] : [];
  });
  return [{ to: 'model', name: node.uses, field: '/uses' }, ...tools];
}

/** True for a tool that changes something outside. */
export function changesOutside(tool: AgentTool, document: BotDocument): boolean {
  if ('runs' in tool) {
    const found = findAction(document, tool.runs);
    const method = found && actionTarget(found.action)?.method;
    return method !== undefined && method !== 'get';
  }
  if ('table' in tool) return tool.does !== 'find';
  if ('mcp' in tool) return Object.values(document.connections?.[tool.mcp]?.tools ?? {}).some((t) => t.reads !== true);
  return 'notice' in tool;
}

export function agentChecks(node: AgentNode, place: Place): Found[] {
  const { document } = place;
  return [
    ...modelChecks(node, document),
    ...partProblems(node.parts),
    ...(node.tools ?? []).flatMap((t, i) => (t.off ? [] : toolChecks(t, `/tools/${i}`, document))),
    ...manyTools(node, document),
    ...inputChecks(node, place),
  ];
}

function modelChecks({ uses, limits, gives, into }: AgentNode, document: BotDocument): Found[] {
  const profiles = Object.keys(document.models ?? {});
  const found: Found[] = [];
  if (!profiles.includes(uses)) {
    const facts = { name: uses, suggestion: nearest(uses, profiles) ?? null };
    found.push({ code: 'unknown-model', severity: 'error', field: '/uses', facts });
  }
  const money = [limits, limits?.conversation, limits?.visitor, limits?.day].some((l) => l?.money !== undefined);
  if (money && profiles.includes(uses) && document.models?.[uses]?.price === undefined)
    found.push({ code: 'limit-without-price', severity: 'warning', field: '/limits', facts: { model: uses } });
  if (gives !== undefined && countFields(gives) > MOST_FIELDS)
    found.push({ code: 'too-many-fields', severity: 'error', field: '/gives', facts: { most: MOST_FIELDS } });
  if (gives !== undefined && into === undefined)
    found.push({ code: 'found-for-nothing', severity: 'warning', field: '/into', facts: {} });
  return found;
}

/** What a tool names that is not there, or fills in that it does not take. */
function toolChecks(tool: AgentTool, field: string, document: BotDocument): Found[] {
  const unknown = (code: string, at: string, name: string, known: readonly string[]): Found[] => {
    if (known.includes(name)) return [];
    return [{ code, severity: 'error', field: `${field}/${at}`, facts: { name, suggestion: nearest(name, known) ?? null } }];
  };
  const missing = [
    ...('runs' in tool ? unknown('unknown-action', 'runs', tool.runs, actionNames(document)) : []),
    ...('lookup' in tool ? unknown('unknown-knowledge', 'lookup', tool.lookup, Object.keys(document.knowledge ?? {})) : []),
    ...('table' in tool ? unknown('unknown-table', 'table', tool.table, Object.keys(document.tables ?? {})) : []),
    ...('flow' in tool ? unknown('unknown-flow', 'flow', tool.flow, Object.keys(document.flows)) : []),
    ...('mcp' in tool ? unknown('unknown-connection', 'mcp', tool.mcp, Object.keys(document.connections ?? {})) : []),
  ];
  if (missing.length > 0) return missing;
  const listed = 'mcp' in tool ? Object.keys(document.connections?.[tool.mcp]?.tools ?? {}) : [];
  const chosen = 'mcp' in tool ? (tool.only ?? []).flatMap((name) => unknown('unknown-tool', 'only', name, listed)) : [];
  const none: Found[] =
    'mcp' in tool && listed.length === 0
      ? [{ code: 'no-tools-listed', severity: 'warning', field: `${field}/mcp`, facts: { name: tool.mcp } }]
      : [];
  return [...chosen, ...none, ...paramChecks(tool, field, document), ...aboutChecks(tool, field, document)];
}

function paramChecks(tool: AgentTool, field: string, document: BotDocument): Found[] {
  const bare = { ...tool, given: {} };
  const ready = readyTools([bare], new Compiler(document));
  const takes = new Set(ready.flatMap((t) => t.params.map((p) => p.name)));
  const of = ready[0]?.runs ?? '';
  const named = [
    ...Object.keys(tool.given ?? {}).map((k) => ['given', k] as const),
    ...Object.keys(tool.deduced ?? {}).map((k) => ['deduced', k] as const),
  ];
  return named
    .filter(([, key]) => !takes.has(key))
    .map(([where, name]): Found => {
      const facts = { name, action: of, suggestion: nearest(name, [...takes]) ?? null };
      return { code: 'unknown-input', severity: 'error', field: `${field}/${where}`, facts };
    });
}

/** A tool of which the model is told nothing but its name. */
function aboutChecks(tool: AgentTool, field: string, document: BotDocument): Found[] {
  if (tool.about !== undefined && tool.about.trim() !== '') return [];
  const described =
    'runs' in tool
      ? findAction(document, tool.runs)?.action.about
      : 'lookup' in tool
        ? document.knowledge?.[tool.lookup]?.about
        : 'table' in tool
          ? (document.tables?.[tool.table]?.about ?? document.tables?.[tool.table]?.title)
          : 'flow' in tool
            ? document.flows[tool.flow]?.about
            : 'mcp' in tool
              ? 'as the server says'
              : 'ours';
  if (described !== undefined && described.trim() !== '') return [];
  const name = readyTools([tool], new Compiler(document))[0]?.name ?? '';
  return [{ code: 'tool-without-about', severity: 'warning', field: `${field}/about`, facts: { name } }];
}

/** Many tools, and tools that can hardly be told apart. */
function manyTools(node: AgentNode, document: BotDocument): Found[] {
  const ready = readyTools(node.tools ?? [], new Compiler(document));
  const texts = ready.map((t) => ({ name: t.name, text: `${t.name.replaceAll(/[-_]/g, ' ')} ${t.about}` }));
  const alike = alikeTools(texts, keptWishes(document)).map((a): Found => {
    const facts = { one: a.one, other: a.other, percent: Math.round(a.texts * 100), wishes: a.wishes, unclear: a.unclear };
    return { code: 'tools-alike', severity: 'warning', field: '/tools', facts };
  });
  if (ready.length <= FEW_TOOLS) return alike;
  return [{ code: 'many-tools', severity: 'warning', field: '/tools', facts: { count: ready.length, few: FEW_TOOLS } }, ...alike];
}

/** What the flow takes and nothing in it reads: an agent does not know of it by itself. */
function inputChecks(_node: AgentNode, { flow, reads }: Place): Found[] {
  return Object.keys(flow.takes ?? {})
    .filter((name) => !reads.has(name))
    .map((name) => ({ code: 'unused-input', severity: 'warning', field: '/parts', facts: { name } }));
}
