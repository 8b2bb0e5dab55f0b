import { DURATION_PATTERN } from '@primrose/core';
import { ShapedInput, UnderField } from '../fields.js';
import type { EditorProps } from './registry.js';

export function PauseEditor({ node, set }: EditorProps) {
  return (
    <>
      <ShapedInput
        label="How long"
        value={node['for'] as string}
        form={DURATION_PATTERN}
        wrong={DURATION_WRONG}
        onChange={(v) => set('for', v)}
      />
      <UnderField field="/for" />
    </>
  );
}

export const DURATION_WRONG = 'A time such as 4s, 500ms or 2m.';
