import { ANSWER_KINDS, type Text } from '@primrose/core';
import { CodeInput, WordsInput } from '../CodeInput.js';
import { RemoveButton, Rows } from '../Rows.js';
import { TargetInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

const DEFAULT_TRIES = 2;

interface Refusal {
  readonly when: string;
  readonly says: Text;
}

const ANSWER = ['answer'];

/** Values that are not taken, each with what the visitor is told. */
function Refusals({ node, set }: EditorProps) {
  const list = (node['refuses'] as Refusal[] | undefined) ?? [];
  const write = (next: readonly Refusal[]) => set('refuses', next.length === 0 ? undefined : next);
  const change = (i: number, fields: Partial<Refusal>) => write(list.map((r, j) => (i === j ? { ...r, ...fields } : r)));
  return (
    <Rows label="Does not take" add="a value that is wrong" onAdd={() => write([...list, { when: '', says: '' }])}>
      {list.map((refusal, i) => (
        <div className="pair" key={i}>
          <div>
            <CodeInput
              label="an answer when"
              mode="expression"
              locals={ANSWER}
              field={`/refuses/${i}/when`}
              value={refusal.when}
              placeholder="answer == flow.origin"
              onChange={(when) => change(i, { when })}
            />
            <WordsInput
              label="and says"
              field={`/refuses/${i}/says`}
              value={refusal.says}
              onChange={(says) => change(i, { says: says ?? '' })}
            />
          </div>
          <RemoveButton label={`Remove condition ${i + 1}`} onClick={() => write(list.filter((_, j) => j !== i))} />
        </div>
      ))}
    </Rows>
  );
}

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
      {expects === 'text' && (
        <label className="soft">
          <input
            type="checkbox"
            checked={(node['whatever'] as boolean | undefined) ?? false}
            onChange={(e) => set('whatever', e.target.checked ? true : undefined)}
          />{' '}
          whatever they say is the answer
        </label>
      )}
      <Refusals node={node} set={set} />
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
