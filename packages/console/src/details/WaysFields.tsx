import { RemoveButton, Rows } from './Rows.js';
import { ShapedInput, TextInput, UnderField } from './fields.js';
import type { EditorProps } from './kinds/editor.js';

type Ways = Readonly<Record<string, { readonly about: string }>>;

/** Ways among which a model chooses: each is an exit, and “none of them” is one always. */
export function WaysFields({ node, set }: EditorProps) {
  const ways = Object.entries((node['ways'] as Ways | undefined) ?? {});
  const write = (next: readonly (readonly [string, { readonly about: string }])[]) =>
    set('ways', next.length === 0 ? undefined : Object.fromEntries(next));
  return (
    <>
      <Rows
        label="Ways that it chooses among, each an exit"
        add="a way"
        onAdd={() => write([...ways, [freeName(ways), { about: 'when …' }]])}
      >
        {ways.map(([name, { about }], i) => (
          <div className="branchbox" key={i}>
            <div className="pair double">
              <ShapedInput
                label="Way"
                code
                value={name}
                form={/^[a-z][a-z0-9]*(-[a-z0-9]+)*$/}
                wrong="Small letters, digits and hyphens."
                onChange={(next) => write(ways.map((w, j) => (i === j ? [next, { about }] : w)))}
              />
              <TextInput
                label={`When it is ${name}`}
                value={about}
                onChange={(next) => next !== '' && write(ways.map((w, j) => (i === j ? [name, { about: next }] : w)))}
              />
              <RemoveButton label={`Remove the way ${name}`} onClick={() => write(ways.filter((_, j) => j !== i))} />
            </div>
          </div>
        ))}
      </Rows>
      <UnderField field="/ways" />
    </>
  );
}

function freeName(ways: readonly (readonly [string, unknown])[]): string {
  for (let n = ways.length + 1; ; n++) if (!ways.some(([name]) => name === `way-${n}`)) return `way-${n}`;
}
