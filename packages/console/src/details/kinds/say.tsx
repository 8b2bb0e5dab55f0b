import type { Text } from '@primrose/core';
import { WordsInput } from '../fields.js';
import type { EditorProps } from './registry.js';

export function SayEditor({ node, set }: EditorProps) {
  return <WordsInput label="The bot says" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />;
}
