import { CodeInput } from '../CodeInput.js';
import { RemoveButton, Rows, movedItem } from '../Rows.js';
import { ShapedInput } from '../fields.js';

export interface Case {
  readonly exit: string;
  readonly when: string;
}

interface CasesProps {
  readonly cases: readonly Case[];
  readonly onChange: (cases: readonly Case[]) => void;
  /** Names that only these conditions know. */
  readonly locals?: readonly string[];
}

function nextExit(cases: readonly Case[]): string {
  for (let n = cases.length + 1; ; n++) if (!cases.some((c) => c.exit === `case-${n}`)) return `case-${n}`;
}

/** Ordered conditions, each with its exit; the first that holds is taken. */
export function Cases({ cases, onChange, locals }: CasesProps) {
  const write = (i: number, change: Partial<Case>) => onChange(cases.map((c, j) => (i === j ? { ...c, ...change } : c)));
  return (
    <Rows
      label="Leave by the first that holds"
      add="a case"
      onAdd={() => onChange([...cases, { exit: nextExit(cases), when: '' }])}
      onMove={(from, to) => onChange(movedItem(cases, from, to))}
    >
      {cases.map((c, i) => (
        <div className="pair double" key={i}>
          <ShapedInput
            label="Exit"
            value={c.exit}
            form={/^[a-z][a-z0-9]*(-[a-z0-9]+)*$/}
            wrong="Small letters, digits and hyphens."
            onChange={(exit) => write(i, { exit })}
          />
          <CodeInput
            label="when"
            mode="expression"
            {...(locals ? { locals } : {})}
            field={`/cases/${i}/when`}
            value={c.when}
            placeholder="flow.people > 4"
            onChange={(when) => write(i, { when })}
          />
          <RemoveButton label={`Remove the case ${c.exit}`} onClick={() => onChange(cases.filter((_, j) => j !== i))} />
        </div>
      ))}
    </Rows>
  );
}
