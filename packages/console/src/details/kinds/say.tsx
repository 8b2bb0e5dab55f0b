import type { Text } from '@primrose/core';
import { useState } from 'react';
import { LooksOn } from '../../channels/LooksOn.js';
import { CodeInput, WordsInput } from '../CodeInput.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

export function SayEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const speech = node['speech'] as Text | undefined;
  const [speaks, setSpeaks] = useState(false);
  return (
    <>
      <WordsInput label="The bot says" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />
      {speech === undefined && !speaks ? (
        <button type="button" className="bare note" onClick={() => setSpeaks(true)}>
          + shorter words for speech
        </button>
      ) : (
        <WordsInput label="Shorter words for speech" field="/speech" value={speech} optional onChange={(v) => set('speech', v)} />
      )}
      <CodeInput
        label="Passages it cites"
        mode="expression"
        field="/cites"
        placeholder="flow.passages, or nothing"
        value={(node['cites'] as string | undefined) ?? ''}
        onChange={(v) => set('cites', v === '' ? undefined : v)}
      />
      <LooksOn says={node['says'] as Text} speech={speech} language={document.languages[0] ?? 'en'} />
    </>
  );
}
