import { CodeInput } from '../CodeInput.js';
import { DurationInput } from '../DurationInput.js';
import { TargetInput, UnderField } from '../fields.js';
import { ProfileInput } from '../ProfileInput.js';
import { Ticked } from '../Ticked.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

const DEFAULT_MOST = 3;
const MOST_BASES = 5;

/** One base stands as its name, several as a list. */
const asWritten = (bases: readonly string[]): string | string[] => (bases.length === 1 ? (bases[0] ?? '') : [...bases]);

export function LookupEditor({ node, set }: EditorProps) {
  const [base = '', ...also] = typeof node['in'] === 'string' ? [node['in']] : ((node['in'] as string[] | undefined) ?? []);
  return (
    <>
      <Bases base={base} also={also} set={(bases) => set('in', asWritten(bases))} />
      <CodeInput label="Question" mode="template" field="/asks" value={node['asks'] as string} onChange={(v) => set('asks', v)} />
      <div className="fld ticks">
        <Ticked
          label="together with the question before, where it leans on it"
          on={node['before'] !== false}
          onChange={(on) => set('before', on ? undefined : false)}
        />
        <Ticked
          label="also in files that the visitor sent in this conversation"
          on={node['files'] === true}
          onChange={(on) => set('files', on ? true : undefined)}
        />
      </div>
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
      <Labels value={(node['labels'] as string[] | undefined) ?? []} onChange={(labels) => set('labels', labels)} />
      <Answer node={node} set={set} />
    </>
  );
}

interface BasesProps {
  readonly base: string;
  readonly also: readonly string[];
  readonly set: (bases: readonly string[]) => void;
}

function Bases({ base, also, set }: BasesProps) {
  const { document } = useFieldSetting();
  const bases = Object.keys(document.knowledge ?? {});
  const others = bases.filter((b) => b !== base);
  return (
    <div className="fld">
      <label htmlFor="knowledge">Knowledge base</label>
      <select
        id="knowledge"
        className="form-select"
        value={base}
        onChange={(e) => set([e.target.value, ...also.filter((b) => b !== e.target.value)])}
      >
        {!bases.includes(base) && <option value={base}>{base || 'choose one'}</option>}
        {bases.map((b) => (
          <option key={b}>{b}</option>
        ))}
      </select>
      {others.map((b) => (
        <label key={b} className="note">
          <input
            type="checkbox"
            checked={also.includes(b)}
            disabled={!also.includes(b) && also.length + 1 >= MOST_BASES}
            onChange={(e) => set([base, ...(e.target.checked ? [...also, b] : also.filter((a) => a !== b))])}
          />{' '}
          also in {b}
        </label>
      ))}
      <UnderField field="/in" />
    </div>
  );
}

function Labels({
  value,
  onChange,
}: {
  readonly value: readonly string[];
  readonly onChange: (labels: string[] | undefined) => void;
}) {
  const read = (words: string) => {
    const labels = words
      .split(',')
      .map((l) => l.trim())
      .filter(Boolean);
    onChange(labels.length > 0 ? labels.slice(0, 20) : undefined);
  };
  return (
    <div className="fld">
      <label htmlFor="labels">Only documents labelled</label>
      <input
        id="labels"
        className="form-control"
        placeholder="all of them"
        defaultValue={value.join(', ')}
        onBlur={(e) => read(e.target.value)}
      />
    </div>
  );
}

/** Whether an answer is made of what was found: quoted as it stands, or composed by a model. */
function Answer({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const profiles = Object.keys(document.models ?? {});
  const uses = node['uses'] as string | undefined;
  const target = node['answer'] as string | undefined;
  const way = target === undefined ? 'none' : uses === undefined ? 'quote' : 'compose';
  const choose = (wanted: string) => {
    set('answer', wanted === 'none' ? undefined : (target ?? 'flow.answer'));
    set('uses', wanted === 'compose' ? (uses ?? profiles[0] ?? '') : undefined);
  };
  return (
    <>
      <div className="fld">
        <label htmlFor="answering">Answer</label>
        <select id="answering" className="form-select" value={way} onChange={(e) => choose(e.target.value)}>
          <option value="none">none: the flow says what is said</option>
          <option value="quote">the best sentences as they stand</option>
          <option value="compose">composed by a model, each sentence checked</option>
        </select>
        <UnderField field="/answer" />
      </div>
      {target !== undefined && (
        <TargetInput label="Keep the answer as" field="/answer" value={target} onChange={(v) => set('answer', v)} />
      )}
      {uses !== undefined && (
        <>
          <ProfileInput node={node} set={set} />
          <DurationInput
            label="Wait at most"
            field="/timeout"
            usual="30s"
            value={node['timeout'] as string | undefined}
            onChange={(v) => set('timeout', v)}
          />
        </>
      )}
    </>
  );
}
