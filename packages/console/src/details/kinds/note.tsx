import type { Text } from '@primrose/core';
import { WordsInput } from '../CodeInput.js';
import type { EditorProps } from './editor.js';

export function NoteEditor({ node, set }: EditorProps) {
  return <WordsInput label="For colleagues only" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />;
}
