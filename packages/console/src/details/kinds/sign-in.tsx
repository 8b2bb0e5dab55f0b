import type { Text } from '@primrose/core';
import { WordsInput } from '../CodeInput.js';
import type { EditorProps } from './editor.js';

export function SignInEditor({ node, set }: EditorProps) {
  return (
    <>
      <WordsInput
        label="Why they are to sign in"
        field="/says"
        optional
        value={node['says'] as Text | undefined}
        onChange={(v) => set('says', v)}
      />
      <p className="note">
        A code comes by mail on every channel; a web chat shows its other ways as well. Simulations send nothing: there the code
        is 123456.
      </p>
    </>
  );
}
