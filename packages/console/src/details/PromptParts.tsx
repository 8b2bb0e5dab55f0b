import { estimateTokens, textOf, type BotDocument, type PartDeclaration } from '@primrose/core';
import { CodeInput } from './CodeInput.js';
import { TextInput, UnderField } from './fields.js';
import { movedItem, RemoveButton, Rows } from './Rows.js';
import { useFieldSetting } from './setting.js';
import { Ticked } from './Ticked.js';
import type { EditorProps } from './kinds/editor.js';

interface PromptProps extends EditorProps {
  /** What is sent besides the parts, in tokens: tools, and what Primrose adds. */
  readonly besides?: number;
}

/** The prompt in its parts, each with about how many tokens it is, and what that costs in each profile. */
export function PromptParts({ node, set, besides = 0 }: PromptProps) {
  const { document, resolved } = useFieldSetting();
  const parts = node['parts'] as PartDeclaration[];
  const write = (i: number, part: PartDeclaration) =>
    set(
      'parts',
      parts.map((p, j) => (i === j ? part : p)),
    );
  const read = (i: number, says: string) => textOf(resolved.find((r) => r.field === `/parts/${i}/says`)?.value ?? says);
  const tokens = parts.map((p, i) => (p.off ? 0 : estimateTokens(read(i, p.says))));
  const sum = tokens.reduce((all, n) => all + n, 0) + besides;
  return (
    <>
      <Rows
        label="Prompt"
        add="a part"
        onAdd={() => set('parts', [...parts, { part: `part ${parts.length + 1}`, says: '' }])}
        onMove={(from, to) => set('parts', movedItem(parts, from, to))}
      >
        {parts.map((p, i) => (
          <div className="branchbox" key={i}>
            <div className="pair">
              <TextInput label="Part" value={p.part} onChange={(part) => write(i, { ...p, part: part.slice(0, 60) || 'part' })} />
              <RemoveButton
                label={`Remove the part ${p.part}`}
                onClick={() =>
                  set(
                    'parts',
                    parts.filter((_, j) => j !== i),
                  )
                }
              />
            </div>
            <CodeInput
              label={`Text of ${p.part}`}
              mode="template"
              field={`/parts/${i}/says`}
              value={p.says}
              onChange={(says) => write(i, { ...p, says })}
            />
            <div className="ticks">
              <span className="note">{p.off ? 'off' : `${tokens[i]} tokens`}</span>
              <Ticked
                label="what others wrote, no instruction"
                on={p.input ?? false}
                onChange={(on) => write(i, flagged(p, 'input', on))}
              />
              <Ticked label="off" on={p.off ?? false} onChange={(on) => write(i, flagged(p, 'off', on))} />
            </div>
          </div>
        ))}
      </Rows>
      <details className="note whole">
        <summary role="status">
          About {sum} tokens{besides > 0 && `, ${besides} of them for tools and the rules of the house`}. The whole prompt
        </summary>
        <pre dir="auto">{parts.flatMap((p, i) => (p.off ? [] : [`# ${p.part}\n${read(i, p.says)}`])).join('\n\n')}</pre>
      </details>
      <Prices tokens={sum} models={document.models} />
      <UnderField field="/parts" />
    </>
  );
}

/** What the prompt costs each time it is sent, in each profile that has a price. */
function Prices({ tokens, models = {} }: { readonly tokens: number; readonly models: BotDocument['models'] }) {
  const priced = Object.entries(models).flatMap(([name, { price }]) => (price ? [[name, price] as const] : []));
  if (priced.length === 0) return <p className="note">No profile has a price yet.</p>;
  return (
    <p className="note">
      Sent once it costs{' '}
      {priced
        .map(([name, p]) =>
          `${((tokens * p.in) / 1e6).toFixed(6).replace(/0+$/, '0')} ${p.currency ?? ''} in ${name}`.replace(/ +/g, ' '),
        )
        .join(', ')}
      , before the answer.
    </p>
  );
}

function flagged(part: PartDeclaration, flag: 'input' | 'off', on: boolean): PartDeclaration {
  const { [flag]: _old, ...rest } = part;
  return on ? { ...rest, [flag]: true } : rest;
}

/** Pictures that a model is shown beside the words: a template that gives their addresses. */
export function PicturesInput({ node, set }: Pick<EditorProps, 'node' | 'set'>) {
  return (
    <CodeInput
      label="Pictures that it is shown"
      mode="template"
      field="/pictures"
      value={(node['pictures'] as string | undefined) ?? ''}
      placeholder="{{ turn.pictures }}"
      onChange={(v) => set('pictures', v === '' ? undefined : v)}
    />
  );
}
