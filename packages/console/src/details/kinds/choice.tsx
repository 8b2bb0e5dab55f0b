import type { Text } from '@primrose/core';
import { LooksOn } from '../../channels/LooksOn.js';
import { CodeInput, WordsInput } from '../CodeInput.js';
import { useFieldSetting } from '../setting.js';
import { RemoveButton, Rows, movedItem } from '../Rows.js';
import { OptionalTarget, UnderField } from '../fields.js';
import type { EditorProps } from './editor.js';

interface Button {
  readonly id: string;
  readonly says: Text;
}

const ITEM = ['item'];

/** A free id for a further button. */
function nextId(buttons: readonly Button[]): string {
  for (let n = buttons.length + 1; ; n++) if (!buttons.some((b) => b.id === `choice-${n}`)) return `choice-${n}`;
}

export function ChoiceEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const buttons = (node['choices'] as Button[] | undefined) ?? [];
  const from = node['from'] as string | undefined;
  const write = (list: readonly Button[]) => set('choices', list);
  return (
    <>
      <WordsInput label="The bot says" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />
      <Rows
        label="Buttons"
        add="a button"
        onAdd={() => write([...buttons, { id: nextId(buttons), says: '' }])}
        onMove={(from, to) => write(movedItem(buttons, from, to))}
      >
        {buttons.map((button, i) => (
          <div className="pair" key={button.id}>
            <div>
              <WordsInput
                label={`Button ${button.id.replaceAll('-', ' ')}`}
                field={`/choices/${i}/says`}
                value={button.says}
                onChange={(says) => write(buttons.map((b, j) => (i === j ? { ...b, says: says ?? '' } : b)))}
              />
              <UnderField field={`/choices/${i}/id`} />
            </div>
            <RemoveButton label={`Remove the button ${button.id}`} onClick={() => write(buttons.filter((_, j) => j !== i))} />
          </div>
        ))}
      </Rows>
      <UnderField field="/choices" />
      <CodeInput
        label="Buttons from a list"
        field="/from"
        mode="expression"
        placeholder="flow.sailings, or nothing"
        value={from ?? ''}
        onChange={(v) => set('from', v === '' ? undefined : v)}
      />
      {from !== undefined && (
        <CodeInput
          label="Each shows"
          field="/shows"
          mode="template"
          locals={ITEM}
          placeholder="{{ item.time }} {{ item.boat }}"
          value={(node['shows'] as string | undefined) ?? ''}
          onChange={(v) => set('shows', v === '' ? undefined : v)}
        />
      )}
      <OptionalTarget field="/into" value={node['into'] as string | undefined} onChange={(v) => set('into', v)} />
      <LooksOn says={node['says'] as Text} choices={buttons} language={document.languages[0] ?? 'en'} />
    </>
  );
}
