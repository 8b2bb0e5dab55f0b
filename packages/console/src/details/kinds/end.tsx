import type { Text } from '@primrose/core';
import { WordsInput } from '../CodeInput.js';
import type { EditorProps } from './editor.js';

export function EndEditor({ node, set }: EditorProps) {
  return (
    <>
      <WordsInput
        label="Last words"
        field="/says"
        optional
        value={node['says'] as Text | undefined}
        onChange={(v) => set('says', v)}
      />
      <div className="fld">
        <label htmlFor="ends">What ends</label>
        <select
          id="ends"
          className="form-select"
          value={(node['ends'] as string | undefined) ?? 'flow'}
          onChange={(e) => set('ends', e.target.value === 'flow' ? undefined : e.target.value)}
        >
          <option value="flow">this flow</option>
          <option value="failed">this flow, as failed</option>
          <option value="conversation">the conversation</option>
        </select>
      </div>
    </>
  );
}
