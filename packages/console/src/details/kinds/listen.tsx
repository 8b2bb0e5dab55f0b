import { TARGET_PATTERN, type Text } from '@primrose/core';
import { WordsInput } from '../CodeInput.js';
import { RemoveButton, Rows } from '../Rows.js';
import { ShapedInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

/** Roles that the intents of a node mark. */
function rolesOf(phrases: readonly string[]): string[] {
  const marks = phrases.flatMap((p) => [...p.matchAll(/<<[^|>]*\|\s*([a-z][a-z0-9_]*)/g)].map((m) => m[1] ?? ''));
  return [...new Set(marks)];
}

export function ListenEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const hears = node['hears'] as string[];
  const into = (node['into'] as Record<string, string> | undefined) ?? {};
  const intents = Object.keys(document.intents ?? {});
  const roles = rolesOf(hears.flatMap((h) => Object.values(document.intents?.[h]?.phrases ?? {}).flat()));
  const write = (role: string, to: string) => {
    const { [role]: _old, ...rest } = into;
    const next = to === '' ? rest : { ...rest, [role]: to };
    set('into', Object.keys(next).length === 0 ? undefined : next);
  };
  return (
    <>
      <WordsInput
        label="The bot says first"
        field="/says"
        optional
        value={node['says'] as Text | undefined}
        onChange={(v) => set('says', v)}
      />
      <Rows
        label="Listens for"
        add="an intent"
        onAdd={() => set('hears', [...hears, intents.find((i) => !hears.includes(i)) ?? ''])}
      >
        {hears.map((h, i) => (
          <div className="pair" key={i}>
            <select
              className="form-select"
              aria-label={`Intent ${i + 1}`}
              value={h}
              onChange={(e) =>
                set(
                  'hears',
                  hears.map((old, j) => (i === j ? e.target.value : old)),
                )
              }
            >
              {!intents.includes(h) && <option value={h}>{h || 'choose one'}</option>}
              {intents.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <RemoveButton
              label={`Do not listen for ${h}`}
              onClick={() =>
                set(
                  'hears',
                  hears.filter((_, j) => j !== i),
                )
              }
            />
            <UnderField field={`/hears/${i}`} />
          </div>
        ))}
      </Rows>
      <UnderField field="/hears" />
      {roles.map((role) => (
        <ShapedInput
          key={role}
          label={`Keep ${role.replaceAll('_', ' ')} as`}
          code
          value={into[role] ?? ''}
          placeholder="flow.name, or nothing"
          form={new RegExp(`^$|${TARGET_PATTERN.source}`)}
          wrong="Write a variable such as flow.day, or leave it empty."
          onChange={(v) => write(role, v)}
        />
      ))}
    </>
  );
}
