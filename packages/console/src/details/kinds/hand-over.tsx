import type { Text } from '@primrose/core';
import { CodeInput, WordsInput } from '../CodeInput.js';
import type { EditorProps } from './editor.js';

export function HandOverEditor({ node, set }: EditorProps) {
  return (
    <>
      <CodeInput
        label="Why, for staff"
        mode="template"
        field="/reason"
        value={node['reason'] as string}
        placeholder="what the visitor wants"
        onChange={(v) => set('reason', v)}
      />
      <WordsInput label="The visitor is told" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v ?? '')} />
      <WordsInput
        label="When the bot is back"
        field="/back"
        optional
        value={node['back'] as Text | undefined}
        onChange={(v) => set('back', v)}
      />
    </>
  );
}
