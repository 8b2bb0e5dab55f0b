import { CallEditor, type CallFields } from './call.js';
import type { EditorProps } from './editor.js';

export function FlowEditor({ node, set }: EditorProps) {
  return <CallEditor call={node as unknown as CallFields} at="" onChange={set} />;
}
