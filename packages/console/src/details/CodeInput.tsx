import type { Text } from '@primrose/core';
import { useState } from 'react';
import { CodeField, type CodeMode } from './code/CodeField.js';
import { WordsField } from './code/WordsField.js';
import { UnderField, type InputProps } from './fields.js';
import { RemoveButton } from './Rows.js';
import { useFieldSetting } from './setting.js';

interface CodeInputProps extends Omit<InputProps, 'list' | 'code'> {
  readonly field: string;
  readonly mode: CodeMode;
  readonly locals?: readonly string[];
}

/** A text with values, an expression or JSON, with its label above and what it reads as below. */
export function CodeInput({ label, field, ...props }: CodeInputProps) {
  return (
    <div className="fld">
      <div className="lab">{label}</div>
      <CodeField label={label} field={field} {...props} />
      <UnderField field={field} />
    </div>
  );
}

interface WordsProps {
  readonly label: string;
  readonly field: string;
  readonly value: Text | undefined;
  readonly onChange: (value: Text | undefined) => void;
  readonly optional?: boolean;
}

/** The wordings of a text in one language. */
function wordingsIn(value: Text | undefined, language: string, first: string): string[] {
  if (value === undefined) return [''];
  if (typeof value === 'string') return language === first ? [value] : [''];
  if (Array.isArray(value)) return language === first ? value : [''];
  const own = value[language] ?? '';
  return Array.isArray(own) ? own : [own];
}

/** The shortest form of a text: a string where that is enough, a list of wordings, else one of these per language. */
function compact(byLanguage: Readonly<Record<string, string[]>>, first: string): Text | undefined {
  const filled = Object.entries(byLanguage).filter(([language, list]) => language === first || list.some((t) => t !== ''));
  const short = (list: string[]): string | string[] => (list.length === 1 ? (list[0] ?? '') : list);
  const only = filled[0];
  if (filled.length === 1 && only?.[0] === first) return short(only[1]);
  return Object.fromEntries(filled.map(([language, list]) => [language, short(list)]));
}

/** Words that the visitor reads: per language of the bot, one wording or several that take turns. */
export function WordsInput({ label, field, value, onChange, optional = false }: WordsProps) {
  const { document } = useFieldSetting();
  const first = document.languages[0] ?? 'en';
  const [language, setLanguage] = useState(first);
  const list = wordingsIn(value, language, first);
  const plain = typeof value !== 'object' || Array.isArray(value);
  const write = (next: string[]) => {
    const all = Object.fromEntries(document.languages.map((l) => [l, l === language ? next : wordingsIn(value, l, first)]));
    const made = compact(all, first);
    onChange(optional && made === '' ? undefined : made);
  };
  const place = plain && language === first ? field : `${field}/${language}`;
  return (
    <div className="fld">
      <div className="lab">
        <span>{label}</span>
        {document.languages.length > 1 && (
          <span className="langs" role="group" aria-label={`Language of ${label}`}>
            {document.languages.map((l) => (
              <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
                {l}
              </button>
            ))}
          </span>
        )}
      </div>
      {list.map((wording, i) => (
        <Wording
          key={i}
          label={i === 0 ? label : `${label}, wording ${i + 1}`}
          text={wording}
          field={list.length > 1 ? `${place}/${i}` : place}
          onChange={(t) => write(list.map((w, j) => (i === j ? t : w)))}
          {...(list.length > 1 ? { onRemove: () => write(list.filter((_, j) => j !== i)) } : {})}
        />
      ))}
      <button className="bare note" type="button" onClick={() => write([...list, ''])}>
        + another wording, taken in turn
      </button>
    </div>
  );
}

interface WordingProps {
  readonly label: string;
  readonly text: string;
  readonly field: string;
  readonly onChange: (text: string) => void;
  readonly onRemove?: () => void;
}

function Wording({ label, text, field, onChange, onRemove }: WordingProps) {
  return (
    <div className={onRemove ? 'pair' : ''}>
      <div>
        <WordsField label={label} field={field} value={text} onChange={onChange} />
        <UnderField field={field} />
      </div>
      {onRemove && <RemoveButton label="Remove this wording" onClick={onRemove} />}
    </div>
  );
}
