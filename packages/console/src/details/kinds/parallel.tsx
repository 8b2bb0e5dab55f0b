import { DurationInput } from '../DurationInput.js';
import { RemoveButton, Rows } from '../Rows.js';
import { ShapedInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import { CallEditor, type CallFields } from './call.js';
import type { EditorProps } from './editor.js';

interface Branch extends CallFields {
  readonly id: string;
  readonly within?: string;
}

const BRANCH_ID = /^[a-z][a-z0-9]*(-[a-z0-9]+)*$/;

/** A name that no branch has yet. */
function freeName(branches: readonly Branch[]): string {
  const taken = new Set(branches.map((b) => b.id));
  for (let n = branches.length + 1; ; n++) if (!taken.has(`branch-${n}`)) return `branch-${n}`;
}

export function ParallelEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const branches = node['branches'] as Branch[];
  const write = (i: number, field: string, value: unknown) => {
    const changed = branches.map((b, j) => {
      if (i !== j) return b;
      const rest = Object.fromEntries(Object.entries(b).filter(([key]) => key !== field));
      return value === undefined ? rest : { ...b, [field]: value };
    });
    set('branches', changed);
  };
  const [first = ''] = Object.keys(document.flows);
  return (
    <>
      <Rows
        label="Branches"
        add="a branch"
        onAdd={() => set('branches', [...branches, { id: freeName(branches), calls: first }])}
      >
        {branches.map((b, i) => (
          <div className="branchbox" key={i}>
            <ShapedInput
              label="Name of the branch"
              code
              value={b.id}
              form={BRANCH_ID}
              wrong="Small letters, digits and hyphens. Not kept until it has this form."
              onChange={(v) => write(i, 'id', v)}
            />
            <CallEditor call={b} at={`/branches/${i}`} onChange={(field, value) => write(i, field, value)} />
            <DurationInput
              label="Wait at most"
              field={`/branches/${i}/within`}
              usual="20s"
              value={b.within}
              onChange={(v) => write(i, 'within', v)}
            />
            <RemoveButton
              label={`Remove the branch ${b.id}`}
              onClick={() =>
                set(
                  'branches',
                  branches.filter((_, j) => j !== i),
                )
              }
            />
          </div>
        ))}
      </Rows>
      <UnderField field="/branches" />
    </>
  );
}
