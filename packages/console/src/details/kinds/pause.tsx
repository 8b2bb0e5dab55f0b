import { DurationInput } from '../DurationInput.js';
import type { EditorProps } from './editor.js';

export function PauseEditor({ node, set }: EditorProps) {
  return (
    <DurationInput
      label="How long"
      field="/for"
      value={node['for'] as string}
      onChange={(v) => v !== undefined && set('for', v)}
    />
  );
}
