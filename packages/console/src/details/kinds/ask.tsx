import { ANSWER_KINDS, type Text } from '@primrose/core';
import { WordsInput } from '../CodeInput.js';
import { TargetInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

const DEFAULT_TRIES = 2;

export function AskEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const expects = node['expects'] as string;
  const known = [...ANSWER_KINDS, ...Object.keys(document.entities ?? {})];
  return (
    <>
      <WordsInput label="The bot asks" field="/says" value={node['says'] as Text} onChange={(v) => set('says', v)} />
      <div className="fld">
        <label htmlFor="expects">It expects</label>
        <select id="expects" className="form-select" value={expects} onChange={(e) => set('expects', e.target.value)}>
          {!known.includes(expects) && <option value={expects}>{expects}</option>}
          {known.map((k) => (
            <option key={k} value={k}>
              {k.replaceAll('_', ' ')}
            </option>
          ))}
        </select>
        <UnderField field="/expects" />
      </div>
      {(expects === 'date' || expects === 'range') && (
        <div className="fld">
          <label htmlFor="wants">A day without a year, or a weekday, is</label>
          <select
            id="wants"
            className="form-select"
            value={(node['wants'] as string | undefined) ?? ''}
            onChange={(e) => set('wants', e.target.value === '' ? undefined : e.target.value)}
          >
            <option value="">the next one, or one of the last two months</option>
            <option value="future">one to come</option>
            <option value="past">one in the past</option>
          </select>
        </div>
      )}
      <TargetInput label="Keep the answer as" field="/into" value={node['into'] as string} onChange={(v) => set('into', v)} />
      <WordsInput
        label="When the answer does not fit"
        field="/again"
        optional
        value={node['again'] as Text | undefined}
        onChange={(v) => set('again', v)}
      />
      <div className="fld">
        <label htmlFor="tries">Ask again at most</label>
        <input
          id="tries"
          type="number"
          min={0}
          max={9}
          className="form-control"
          value={(node['tries'] as number | undefined) ?? DEFAULT_TRIES}
          onChange={(e) => set('tries', Math.max(0, Math.min(9, Math.round(Number(e.target.value) || 0))))}
        />
      </div>
    </>
  );
}
