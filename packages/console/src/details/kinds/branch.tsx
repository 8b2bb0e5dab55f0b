import { UnderField } from '../fields.js';
import { Cases, type Case } from './cases.js';
import type { EditorProps } from './editor.js';

export function BranchEditor({ node, set }: EditorProps) {
  return (
    <>
      <Cases cases={node['cases'] as Case[]} onChange={(v) => set('cases', v)} />
      <UnderField field="/cases" />
    </>
  );
}
