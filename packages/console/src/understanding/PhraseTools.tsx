import { markValues, matchFrom, readCsvRows, writeCsv, type BotDocument, type Intent } from '@primrose/core';
import { useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { plainName, scoreText } from '../parts/words.js';

const MOST_LINES = 5000;
/** So many phrases that are added at once are looked at one by one. */
const MOST_WATCHED = 8;

/** A phrase that another intent has, or reads as its own. */
export interface Claimed {
  readonly text: string;
  readonly intent: string;
  readonly score: number;
}

/** Finds which of some phrases another intent claims, by the draft as it was before they were added. */
export async function claimsOn(
  document: BotDocument,
  bot: string,
  intent: string,
  phrases: readonly string[],
  language: string,
): Promise<Claimed[]> {
  const found = await Promise.all(
    phrases.slice(0, MOST_WATCHED).map(async (text): Promise<Claimed[]> => {
      const { understood } = await call('understand', { params: { bot }, body: { text, language } });
      const [best] = understood.intents;
      return best && best.intent !== intent && best.score >= matchFrom(document)
        ? [{ text, intent: best.intent, score: best.score }]
        : [];
    }),
  );
  return found.flat();
}

/** Says which of the phrases that were just added another intent claims. */
export function Claims({ claims }: { readonly claims: readonly Claimed[] }) {
  return claims.map((c) => (
    <p key={c.text} className="mistake mild" role="status">
      “{c.text}” was read as {plainName(c.intent)} ({scoreText(c.score)}) until now. Keep it where it belongs, and give both more
      phrases.
    </p>
  ));
}

interface ToolsProps {
  readonly name: string;
  readonly intent: Intent;
  readonly language: string;
  readonly onAdd: (phrases: readonly string[]) => void;
}

/** More phrases: proposed ones to accept one by one, and a CSV file in and out. */
export function PhraseTools({ name, intent, language, onAdd }: ToolsProps) {
  const [problem, setProblem] = useState<string>();
  const list = intent.phrases?.[language] ?? [];
  const download = () =>
    saveCsv(
      `${name}.csv`,
      ['language', 'phrase'],
      Object.entries(intent.phrases ?? {}).flatMap(([l, all]) => all.map((p) => [l, p])),
    );
  const upload = async (file: File | undefined) => {
    if (!file) return;
    const { rows, open } = readCsvRows(await file.text(), MOST_LINES);
    const head = (rows[0] ?? []).map((h) => h.trim().toLowerCase());
    const at = Math.max(head.indexOf('phrase'), head.indexOf('text'));
    if (open) return setProblem('A quotation mark in the file is opened and never closed.');
    const own = head.indexOf('language');
    const lines = rows.slice(at >= 0 ? 1 : 0);
    const here = lines.filter((r) => own < 0 || at < 0 || ['', language].includes((r[own] ?? '').trim()));
    const added = here.map((r) => (r[Math.max(0, at)] ?? '').trim()).filter((c) => c !== '' && c.length <= 500);
    const left = lines.length - here.length;
    if (left > 0)
      setProblem(`${left} phrases of other languages were left out: choose their language, then bring the file again.`);
    else setProblem(added.length === 0 ? 'The file has no phrases: one a line, or a column named phrase.' : undefined);
    if (added.length > 0) onAdd(added);
  };
  return (
    <div className="phrasetools">
      <Proposals name={name} language={language} onAdd={onAdd} />
      <span className="spring" />
      <button className="bare note" type="button" disabled={list.length === 0} onClick={download}>
        CSV out
      </button>
      <CsvIn onFile={(file) => void upload(file)} />
      {problem !== undefined && <Alarm>{problem}</Alarm>}
    </div>
  );
}

function Proposals({ name, language, onAdd }: Pick<ToolsProps, 'name' | 'language' | 'onAdd'>) {
  const { bot, flush } = useDraftHandle();
  const [proposed, setProposed] = useState<readonly string[]>();
  const [problem, setProblem] = useState<string>();
  const ask = async () => {
    try {
      await flush();
      setProposed((await call('proposePhrases', { params: { bot, intent: name }, body: { language } })).phrases);
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  const take = (phrase: string, keep: boolean) => {
    setProposed(proposed?.filter((p) => p !== phrase));
    if (keep) onAdd([phrase]);
  };
  return (
    <div className="proposals">
      <button className="bare note" type="button" onClick={() => void ask()}>
        Propose more
      </button>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {proposed?.length === 0 && (
        <span className="note">Nothing more comes to mind: mark values in phrases, then ask again.</span>
      )}
      {proposed && proposed.length > 0 && (
        <ul className="plainlist">
          {proposed.map((p) => (
            <li key={p}>
              <span className="it">{p.replaceAll(/<<([^|]+)\|[^>]*>>/g, (_, words: string) => words.trim())}</span>{' '}
              <button className="bare note" type="button" onClick={() => take(p, true)}>
                take
              </button>{' '}
              <button className="bare note" type="button" onClick={() => take(p, false)}>
                no
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

/** Phrases with their values marked, as far as they are known. */
export function marked(document: BotDocument, intent: string, phrases: readonly string[], language: string): string[] {
  return phrases.map((p) => markValues(document, intent, p, language));
}

/** Takes a CSV file in. */
export function CsvIn({ onFile }: { readonly onFile: (file: File | undefined) => void }) {
  return (
    <label className="bare note">
      CSV in
      <input type="file" className="visually-hidden" accept=".csv,.txt,text/csv" onChange={(e) => onFile(e.target.files?.[0])} />
    </label>
  );
}

/** Hands a table to the browser as a CSV file. */
export function saveCsv(name: string, head: readonly string[], rows: readonly (readonly string[])[]): void {
  const address = URL.createObjectURL(new Blob([writeCsv(head, rows)], { type: 'text/csv' }));
  const link = Object.assign(globalThis.document.createElement('a'), { href: address, download: name });
  link.click();
  URL.revokeObjectURL(address);
}
