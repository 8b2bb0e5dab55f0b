import { idOf, readCsvRows, type Entity } from '@primrose/core';
import { useState } from 'react';
import { Alarm } from '../parts/Alarm.js';
import { CsvIn, saveCsv } from './PhraseTools.js';

const MOST_LINES = 50_000;

type Values = NonNullable<Entity['values']>;

interface EntityCsvProps {
  readonly name: string;
  readonly values: Values;
  readonly languages: readonly string[];
  readonly onChange: (values: Values) => void;
}

/** The values of a list as a CSV file in and out: value, language, and the words for it, one a cell. */
export function EntityCsv({ name, values, languages, onChange }: EntityCsvProps) {
  const [told, setTold] = useState<{ readonly problem?: string; readonly done?: string }>({});
  const rows = Object.entries(values).flatMap(([id, words]) =>
    Array.isArray(words) ? [[id, '', ...words]] : Object.entries(words).map(([language, list]) => [id, language, ...list]),
  );
  const upload = async (file: File | undefined) => {
    if (!file) return;
    const { rows: lines, open } = readCsvRows(await file.text(), MOST_LINES + 1);
    if (open) return setTold({ problem: 'A quotation mark in the file is opened and never closed.' });
    const read = valuesOf(lines, languages);
    if (read.count === 0) return setTold({ problem: 'The file has no values: a line is value, language or nothing, words.' });
    onChange({ ...values, ...read.values });
    setTold({ done: `${read.count} lines read.` });
  };
  return (
    <p className="phrasetools">
      <button
        className="bare note"
        type="button"
        disabled={rows.length === 0}
        onClick={() => saveCsv(`${name}.csv`, ['value', 'language', 'words'], rows)}
      >
        CSV out
      </button>
      <CsvIn onFile={(file) => void upload(file)} />
      {told.problem !== undefined && <Alarm>{told.problem}</Alarm>}
      {told.done !== undefined && (
        <span className="note" role="status">
          {told.done}
        </span>
      )}
    </p>
  );
}

/** Values by lines of a file. A line without a language is for all of them. */
function valuesOf(
  lines: readonly (readonly string[])[],
  languages: readonly string[],
): { readonly values: Values; readonly count: number } {
  const values: Values = {};
  let count = 0;
  const [head] = lines;
  for (const [value = '', language = '', ...words] of head?.[0]?.trim().toLowerCase() === 'value' ? lines.slice(1) : lines) {
    const id = idOf(value);
    const list = words.map((w) => w.trim()).filter((w) => w !== '');
    if (id === '') continue;
    count++;
    const known = values[id];
    if (!languages.includes(language.trim()))
      values[id] = [...(Array.isArray(known) ? known : []), ...(list.length > 0 ? list : [value.trim()])];
    else
      values[id] = {
        ...(Array.isArray(known) ? Object.fromEntries(languages.map((l) => [l, known])) : known),
        [language.trim()]: list,
      };
  }
  return { values, count };
}
