import { ShapedInput, UnderField } from '../fields.js';
import type { EditorProps } from './registry.js';

export function PauseEditor({ node, set }: EditorProps) {
  return (
    <>
      <ShapedInput
        label="How long"
        value={node['for'] as string}
        form={DURATION}
        wrong={DURATION_WRONG}
        onChange={(v) => set('for', v)}
      />
      <UnderField field="/for" />
    </>
  );
}

/** A time as the bot document writes it. */
export const DURATION = /^\d+(\.\d+)?(ms|s|m|h|d)$/;
export const DURATION_WRONG = 'A time such as 4s, 500ms or 2m.';
