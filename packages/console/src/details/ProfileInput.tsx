import { UnderField } from './fields.js';
import { useFieldSetting } from './setting.js';
import type { EditorProps } from './kinds/editor.js';

/** Which model profile a node uses. */
export function ProfileInput({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const profiles = Object.keys(document.models ?? {});
  const uses = node['uses'] as string;
  return (
    <div className="fld">
      <label htmlFor="profile">Model profile</label>
      <select id="profile" className="form-select" value={uses} onChange={(e) => set('uses', e.target.value)}>
        {!profiles.includes(uses) && <option value={uses}>{uses || 'choose one'}</option>}
        {profiles.map((p) => (
          <option key={p}>{p}</option>
        ))}
      </select>
      <UnderField field="/uses" />
    </div>
  );
}
