import type { Text } from '@primrose/core';
import { CodeInput, WordsInput } from '../CodeInput.js';
import type { EditorProps } from './editor.js';

export function SayEditor({ node, set }: EditorProps) {
  return (
    <>
      <WordsInput label="The bot says" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />
      <CodeInput
        label="Passages it cites"
        mode="expression"
        field="/cites"
        placeholder="flow.passages, or nothing"
        value={(node['cites'] as string | undefined) ?? ''}
        onChange={(v) => set('cites', v === '' ? undefined : v)}
      />
    </>
  );
}
