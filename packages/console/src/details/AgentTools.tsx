import {
  actionNames,
  changesOutside,
  Compiler,
  OWN_TOOLS,
  readyAgent,
  TABLE_DOES,
  toolName,
  type AgentTool,
  type BotDocument,
  type ReadyTool,
  type Text,
} from '@primrose/core';
import { useMemo, useState } from 'react';
import { CodeInput, WordsInput } from './CodeInput.js';
import { TextInput, UnderField } from './fields.js';
import { movedItem, RemoveButton, Rows } from './Rows.js';
import { useFieldSetting } from './setting.js';
import { Ticked } from './Ticked.js';
import { written } from './kinds/set.js';

interface ToolsProps {
  readonly tools: readonly AgentTool[];
  readonly onChange: (tools: readonly AgentTool[]) => void;
}

/** A thing of the bot that an agent may be given as a tool, in one list. */
interface Offered {
  readonly words: string;
  readonly tool: AgentTool;
}

function offeredBy(document: BotDocument): Offered[] {
  const { tables = {}, knowledge = {}, flows, connections = {} } = document;
  return [
    ...actionNames(document).map((runs) => ({ words: `action ${runs}`, tool: { runs } })),
    ...Object.keys(knowledge).map((lookup) => ({ words: `knowledge ${lookup}`, tool: { lookup } })),
    ...Object.keys(tables).flatMap((table) =>
      TABLE_DOES.map((does) => ({ words: `table ${table}: ${does}`, tool: { table, does } })),
    ),
    { words: 'notice', tool: { notice: '' } },
    ...Object.entries(flows).map(([flow, f]) => ({
      words: `${Object.values(f.nodes).some((n) => n.kind === 'agent') ? 'specialist' : 'flow'} ${flow}`,
      tool: { flow },
    })),
    ...Object.entries(connections).flatMap(([mcp, { tools = {} }]) =>
      Object.keys(tools).length === 0 ? [] : [{ words: `MCP server ${mcp}`, tool: { mcp } }],
    ),
    ...OWN_TOOLS.map((own) => ({ words: `${own}, worked out by Primrose`, tool: { own } })),
  ];
}

/** The tools of an agent: what each runs, what the model is told of it, and which of its parameters are given. */
export function AgentTools({ tools, onChange }: ToolsProps) {
  const { document } = useFieldSetting();
  const offered = useMemo(() => offeredBy(document), [document]);
  const [open, setOpen] = useState<number>();
  const write = (i: number, tool: AgentTool) => onChange(tools.map((t, j) => (i === j ? tool : t)));
  const add = (words: string) => {
    const found = offered.find((o) => o.words === words);
    if (!found) return;
    onChange([...tools, found.tool]);
    setOpen(tools.length);
  };
  return (
    <div className="fld agenttools">
      <Rows
        label={`Tools${tools.length > 0 ? ` (${tools.length})` : ''}`}
        add=""
        onAdd={() => undefined}
        onMove={(from, to) => onChange(movedItem(tools, from, to))}
      >
        {tools.map((tool, i) => (
          <Tool
            key={i}
            tool={tool}
            index={i}
            open={open === i}
            onOpen={() => setOpen(open === i ? undefined : i)}
            onChange={(next) => write(i, next)}
            onRemove={() => onChange(tools.filter((_, j) => j !== i))}
          />
        ))}
      </Rows>
      <select className="form-select" aria-label="Add a tool" value="" onChange={(e) => add(e.target.value)}>
        <option value="">add a tool…</option>
        {offered.map(({ words }) => (
          <option key={words}>{words}</option>
        ))}
      </select>
      <UnderField field="/tools" />
    </div>
  );
}

interface ToolProps {
  readonly tool: AgentTool;
  readonly index: number;
  readonly open: boolean;
  readonly onOpen: () => void;
  readonly onChange: (tool: AgentTool) => void;
  readonly onRemove: () => void;
}

/** What a tool is, without what is said of it. */
function runsOf(tool: AgentTool): string {
  if ('runs' in tool) return `action ${tool.runs}`;
  if ('lookup' in tool) return `knowledge ${tool.lookup}`;
  if ('table' in tool) return `table ${tool.table}: ${tool.does}`;
  if ('notice' in tool) return `notice${tool.notice === '' ? '' : ` on ${tool.notice}`}`;
  if ('flow' in tool) return `flow ${tool.flow}`;
  return 'mcp' in tool ? `MCP server ${tool.mcp}` : `${tool.own}, worked out by Primrose`;
}

/** A tool without a field, or with another value in it. */
function changed(tool: AgentTool, field: string, value: unknown): AgentTool {
  const { [field as 'about']: _old, ...rest } = tool;
  return value === undefined ? rest : { ...rest, [field]: value };
}

function Tool({ tool, index, open, onOpen, onChange, onRemove }: ToolProps) {
  const { document } = useFieldSetting();
  const ready = useMemo((): readonly ReadyTool[] => {
    const alone = { kind: 'agent', uses: '', parts: [], tools: [{ ...tool, given: {}, off: false }] } as const;
    return readyAgent(alone as unknown as Parameters<typeof readyAgent>[0], new Compiler(document)).tools;
  }, [tool, document]);
  const changes = changesOutside(tool, document);
  const asks = tool.confirm === undefined ? changes : tool.confirm !== false;
  const at = `/tools/${index}`;
  const name = toolName(tool);
  return (
    <div className="branchbox tool">
      <div className="toolhead">
        <button type="button" className="bare toolname" aria-expanded={open} onClick={onOpen}>
          <b>{name}</b> <span className="note">{runsOf(tool)}</span>
        </button>
        <span className="note">{tool.off ? 'off' : asks ? 'asks first' : changes ? 'changes without asking' : 'only reads'}</span>
        <RemoveButton label={`Remove the tool ${name}`} onClick={onRemove} />
      </div>
      {(['runs', 'lookup', 'table', 'flow', 'mcp', 'about', 'only', 'given', 'deduced'] as const).map((f) => (
        <UnderField key={f} field={`${at}/${f}`} />
      ))}
      {open && (
        <>
          <TextInput
            label="What the model calls it"
            code
            value={tool.name ?? ''}
            placeholder={name}
            onChange={(v) => onChange(changed(tool, 'name', v === '' ? undefined : v))}
          />
          <TextInput
            label="What it is for, and when to use it"
            value={tool.about ?? ''}
            placeholder={ready[0]?.about ?? ''}
            onChange={(v) => onChange(changed(tool, 'about', v === '' ? undefined : v))}
          />
          {'notice' in tool && (
            <TextInput
              label="On the channel"
              value={tool.notice}
              placeholder="the only one that can send"
              onChange={(v) => onChange(changed(tool, 'notice', v))}
            />
          )}
          {'mcp' in tool && <Chosen tool={tool} document={document} onChange={onChange} />}
          <Params tool={tool} at={at} ready={ready} onChange={onChange} />
          <div className="ticks">
            <Ticked
              label="asks the visitor first"
              on={asks}
              onChange={(on) => onChange(changed(tool, 'confirm', on === changes ? undefined : on))}
            />
            <Ticked label="off" on={tool.off ?? false} onChange={(on) => onChange(changed(tool, 'off', on ? true : undefined))} />
          </div>
          {asks && (
            <WordsInput
              label="The question, in words of your own"
              field={`${at}/confirm`}
              value={typeof tool.confirm === 'boolean' ? undefined : tool.confirm}
              onChange={(v: Text | undefined) => onChange(changed(tool, 'confirm', v === undefined || v === '' ? undefined : v))}
            />
          )}
          <WordsInput
            label="What the visitor sees meanwhile"
            field={`${at}/while`}
            value={tool.while}
            onChange={(v: Text | undefined) => onChange(changed(tool, 'while', v === undefined || v === '' ? undefined : v))}
          />
        </>
      )}
    </div>
  );
}

/** Which tools of an MCP server are offered. */
function Chosen({
  tool,
  document,
  onChange,
}: {
  readonly tool: Extract<AgentTool, { mcp: string }>;
  readonly document: BotDocument;
  readonly onChange: (tool: AgentTool) => void;
}) {
  const names = Object.keys(document.connections?.[tool.mcp]?.tools ?? {});
  const only = tool.only ?? names;
  return (
    <fieldset className="ticks">
      <legend className="lab">Tools of the server</legend>
      {names.map((name) => (
        <Ticked
          key={name}
          label={name}
          on={only.includes(name)}
          onChange={(on) => onChange({ ...tool, only: on ? [...only, name] : only.filter((n) => n !== name) })}
        />
      ))}
    </fieldset>
  );
}

interface ParamsProps {
  readonly tool: AgentTool;
  readonly at: string;
  readonly ready: readonly ReadyTool[];
  readonly onChange: (tool: AgentTool) => void;
}

/** Each parameter is given by the designer, and then the model is not shown it, or deduced by the model from what is said of it. */
function Params({ tool, at, ready, onChange }: ParamsProps) {
  const given = tool.given ?? {};
  const deduced = tool.deduced ?? {};
  const params = [...new Map(ready.flatMap((t) => t.params.map((p) => [p.name, p] as const))).values()];
  if (params.length === 0) return null;
  const setIn = (field: 'given' | 'deduced', table: Readonly<Record<string, unknown>>) =>
    onChange(changed(tool, field, Object.keys(table).length === 0 ? undefined : table));
  const without = <T,>(table: Readonly<Record<string, T>>, key: string): Record<string, T> =>
    Object.fromEntries(Object.entries(table).filter(([k]) => k !== key));
  return (
    <div className="params">
      {params.map((p) => {
        const isGiven = Object.hasOwn(given, p.name);
        const shown = p.schema as { description?: string };
        return (
          <div className="param" key={p.name}>
            <label className="lab">
              <span>
                {p.name}
                {p.needed && !isGiven && <span className="note"> needed</span>}
              </span>
              <select
                className="form-select"
                aria-label={`How ${p.name} is filled in`}
                value={isGiven ? 'given' : 'deduced'}
                onChange={(e) => setIn('given', e.target.value === 'given' ? { ...given, [p.name]: '' } : without(given, p.name))}
              >
                <option value="deduced">deduced</option>
                <option value="given">given</option>
              </select>
            </label>
            {isGiven ? (
              <CodeInput
                label={`${p.name} is`}
                mode="template"
                field={`${at}/given/${p.name}`}
                value={written(given[p.name])}
                onChange={(v) => setIn('given', { ...given, [p.name]: v })}
              />
            ) : (
              <TextInput
                label={`${p.name}: what it is`}
                value={deduced[p.name] ?? ''}
                placeholder={shown.description ?? ''}
                onChange={(v) => setIn('deduced', v === '' ? without(deduced, p.name) : { ...deduced, [p.name]: v })}
              />
            )}
          </div>
        );
      })}
    </div>
  );
}
