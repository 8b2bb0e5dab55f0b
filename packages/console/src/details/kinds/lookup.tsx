import { CodeInput } from '../CodeInput.js';
import { TargetInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

const DEFAULT_MOST = 3;

export function LookupEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const bases = Object.keys(document.knowledge ?? {});
  const base = node['in'] as string;
  return (
    <>
      <div className="fld">
        <label htmlFor="knowledge">Knowledge base</label>
        <select id="knowledge" className="form-select" value={base} onChange={(e) => set('in', e.target.value)}>
          {!bases.includes(base) && <option value={base}>{base || 'choose one'}</option>}
          {bases.map((b) => (
            <option key={b}>{b}</option>
          ))}
        </select>
        <UnderField field="/in" />
      </div>
      <CodeInput label="Question" mode="template" field="/asks" value={node['asks'] as string} onChange={(v) => set('asks', v)} />
      <TargetInput label="Keep the passages as" field="/into" value={node['into'] as string} onChange={(v) => set('into', v)} />
      <div className="fld">
        <label htmlFor="most">Passages at most</label>
        <input
          id="most"
          type="number"
          min={1}
          max={10}
          className="form-control"
          value={(node['most'] as number | undefined) ?? DEFAULT_MOST}
          onChange={(e) => set('most', Math.max(1, Math.min(10, Math.round(Number(e.target.value) || 1))))}
        />
      </div>
    </>
  );
}
