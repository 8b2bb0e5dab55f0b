import type { Text } from '@primrose/core';
import { CodeInput, WordsInput } from '../CodeInput.js';
import { TextInput } from '../fields.js';
import { RemoveButton, Rows } from '../Rows.js';
import type { EditorProps } from './editor.js';

interface LinkButton {
  readonly says: string;
  readonly opens: string;
}

export function NoticeEditor({ node, set }: EditorProps) {
  const links = (node['links'] as readonly LinkButton[] | undefined) ?? [];
  const write = (next: readonly LinkButton[]) => set('links', next.length === 0 ? undefined : next);
  const change = (i: number, more: Partial<LinkButton>) => write(links.map((l, j) => (i === j ? { ...l, ...more } : l)));
  return (
    <>
      <CodeInput
        label="To whom"
        mode="template"
        field="/to"
        value={node['to'] as string}
        placeholder="a person or a room"
        onChange={(v) => set('to', v)}
      />
      <WordsInput label="What it says" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v ?? '')} />
      <Rows label="Buttons that open a link" add="a button" onAdd={() => write([...links, { says: '', opens: 'https://' }])}>
        {links.map((l, i) => (
          <div className="pair double" key={i}>
            <CodeInput
              label="Says"
              mode="template"
              field={`/links/${i}/says`}
              value={l.says}
              onChange={(says) => change(i, { says })}
            />
            <CodeInput
              label="opens"
              mode="template"
              field={`/links/${i}/opens`}
              value={l.opens}
              onChange={(opens) => change(i, { opens })}
            />
            <RemoveButton label={`Remove the button ${l.says}`} onClick={() => write(links.filter((_, j) => j !== i))} />
          </div>
        ))}
      </Rows>
      <TextInput
        label="On the channel"
        field="/on"
        value={(node['on'] as string | undefined) ?? ''}
        placeholder="the only one that can send"
        onChange={(v) => set('on', v === '' ? undefined : v)}
      />
    </>
  );
}
