import type { RecallDeclaration } from '@primrose/core';
import { CodeInput } from './CodeInput.js';
import { NumberField } from './NumberField.js';
import { Ticked } from './Ticked.js';
import type { EditorProps } from './kinds/editor.js';

/** How much of the past a model is shown: turns, a summary, what is known; of the visitor, or under a key. */
export function RecallFields({ node, set, usual }: EditorProps & { readonly usual?: number }) {
  const recall = (node['recall'] as RecallDeclaration | undefined) ?? {};
  const write = (change: Partial<RecallDeclaration>) => {
    const next = Object.fromEntries(Object.entries({ ...recall, ...change }).filter(([, v]) => v !== undefined));
    set('recall', Object.keys(next).length === 0 ? undefined : next);
  };
  const flag = (name: 'facts' | 'summary') => (on: boolean) => write({ [name]: on ? true : undefined });
  return (
    <details className="fld limits" open={node['recall'] !== undefined}>
      <summary>What it recalls</summary>
      <div className="pair double">
        <NumberField
          label="Turns of the talk that it is shown"
          most={50}
          {...(usual === undefined ? {} : { usual })}
          value={recall.turns}
          onChange={(turns) => write({ turns })}
        />
        <NumberField label="Tokens of them at most" value={recall.tokens} onChange={(tokens) => write({ tokens })} />
      </div>
      <div className="fld ticks">
        <Ticked label="what is known of the visitor" on={recall.facts === true} onChange={flag('facts')} />
        <Ticked label="a summary of what was said before" on={recall.summary === true} onChange={flag('summary')} />
      </div>
      <CodeInput
        label="Kept under a key in place of the visitor"
        field="/recall/key"
        mode="template"
        value={recall.key ?? ''}
        onChange={(key) => write({ key: key === '' ? undefined : key })}
      />
      <CodeInput
        label="Turns that a caller sends along: a list of who and says"
        field="/recall/given"
        mode="template"
        value={recall.given ?? ''}
        onChange={(given) => write({ given: given === '' ? undefined : given })}
      />
    </details>
  );
}
