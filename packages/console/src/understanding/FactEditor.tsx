import { type BotDocument, type FactKind, type MemoryDeclaration, type Text } from '@primrose/core';
import { useState } from 'react';
import { Ticked } from '../details/Ticked.js';
import { TextInput } from '../details/fields.js';
import { useDraftHandle } from '../draft/context.js';
import { plainName } from '../parts/words.js';
import { Mistakes } from './Mistakes.js';

/** A document in which what is kept in mind is otherwise; nothing at all is left out. */
function withMemory(document: BotDocument, change: (memory: MemoryDeclaration) => MemoryDeclaration): BotDocument {
  const { memory = {}, ...rest } = document;
  const next = Object.fromEntries(Object.entries(change(memory)).filter(([, v]) => v !== undefined));
  return Object.keys(next).length === 0 ? rest : { ...rest, memory: next };
}

/** A document with a kind of fact, or without it. */
export function withFact(document: BotDocument, name: string, kind: FactKind | undefined): BotDocument {
  return withMemory(document, ({ facts = {}, ...more }) => {
    const { [name]: _old, ...others } = facts;
    const next = kind === undefined ? others : { ...facts, [name]: kind };
    return { ...more, ...(Object.keys(next).length > 0 ? { facts: next } : {}) };
  });
}

type Words = NonNullable<FactKind['words']>;
const listOf = (words: Words | undefined, language: string): string[] =>
  words === undefined ? [] : Array.isArray(words) ? words : (words[language] ?? []);
const parted = (text: string): string[] =>
  text
    .split(',')
    .map((w) => w.trim())
    .filter((w) => w.length >= 2);

/** Words by language, with one of them changed. */
function putWords(words: Words | undefined, languages: readonly string[], language: string, text: string): Words | undefined {
  const list = parted(text);
  if (languages.length === 1) return list.length === 0 ? undefined : list;
  const spread = Array.isArray(words) ? Object.fromEntries(languages.map((l) => [l, words])) : { ...words };
  const next = Object.fromEntries(Object.entries({ ...spread, [language]: list }).filter(([, w]) => w.length > 0));
  return Object.keys(next).length === 0 ? undefined : next;
}

const textIn = (text: Text | undefined, language: string): string => {
  if (text === undefined) return '';
  if (typeof text === 'string') return text;
  if (Array.isArray(text)) return text[0] ?? '';
  const own = text[language] ?? '';
  return Array.isArray(own) ? (own[0] ?? '') : own;
};

function putText(text: Text | undefined, languages: readonly string[], language: string, words: string): Text | undefined {
  if (languages.length === 1) return words === '' ? undefined : words;
  const spread =
    typeof text === 'object' && !Array.isArray(text)
      ? text
      : Object.fromEntries(languages.flatMap((l) => (text === undefined ? [] : [[l, textIn(text, l)]])));
  const next = Object.fromEntries(Object.entries({ ...spread, [language]: words }).filter(([, w]) => w !== ''));
  return Object.keys(next).length === 0 ? undefined : next;
}

const LASTS = [
  ['ask', 'the visitor is asked'],
  ['always', 'for good'],
  ['now', 'for the conversation only'],
] as const;

/** A kind of fact that is kept about visitors: how it is heard, what it fills in, how long it lasts. */
export function FactEditor({ name, onRemoved }: { readonly name: string; readonly onRemoved: () => void }) {
  const { document, edit } = useDraftHandle();
  const { languages } = document;
  const [language, setLanguage] = useState(languages[0] ?? 'en');
  const kind = document.memory?.facts?.[name];
  if (!kind) return null;
  const put = (change: Partial<FactKind>) => {
    // Two changes at once are both kept: each goes by what is there then.
    edit((d) => {
      const all = { ...(d.memory?.facts?.[name] ?? kind), ...change };
      return withFact(d, name, Object.fromEntries(Object.entries(all).filter(([, v]) => v !== undefined)) as FactKind);
    });
  };
  const types = ['yes_no', 'text', ...Object.keys(document.entities ?? {})];
  return (
    <>
      <header>
        <h2>{plainName(name)}</h2>
        <span className="spring" />
        <button
          className="bare note"
          type="button"
          onClick={() => {
            edit((d) => withFact(d, name, undefined));
            onRemoved();
          }}
        >
          delete
        </button>
      </header>
      <Mistakes field={`/memory/facts/${name}`} />
      <TextInput label="What it is about" value={kind.about} onChange={(about) => about !== '' && put({ about })} />
      <div className="pair double">
        <div className="fld">
          <label htmlFor="fact-type">Its value</label>
          <select
            id="fact-type"
            className="form-select"
            value={kind.type ?? 'yes_no'}
            onChange={(e) => put({ type: e.target.value })}
          >
            {types.map((t) => (
              <option key={t} value={t}>
                {t === 'yes_no' ? 'yes or no' : t === 'text' ? 'as they say it' : plainName(t)}
              </option>
            ))}
          </select>
        </div>
        <div className="fld">
          <label htmlFor="fact-lasts">Where they do not say for how long</label>
          <select
            id="fact-lasts"
            className="form-select"
            value={kind.lasts ?? 'ask'}
            onChange={(e) => put({ lasts: e.target.value as 'ask' })}
          >
            {LASTS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </div>
      </div>
      <div className="fld ticks">
        <Ticked
          label="there may be several side by side"
          on={kind.many === true}
          onChange={(on) => put({ many: on ? true : undefined })}
        />
      </div>
      {languages.length > 1 && (
        <div className="langs" role="group" aria-label="Language of the words">
          {languages.map((l) => (
            <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
              {l}
            </button>
          ))}
        </div>
      )}
      <Typed
        key={`words ${language}`}
        label="Words by which a sentence is about it, with commas between"
        value={listOf(kind.words, language).join(', ')}
        onChange={(text) => put({ words: putWords(kind.words, languages, language, text) })}
      />
      <TextInput
        label="How the bot tells it to the visitor"
        value={textIn(kind.says, language)}
        placeholder={
          kind.type === undefined || kind.type === 'yes_no' ? 'You travel with a dog.' : 'You travel like this: {{ value }}.'
        }
        onChange={(text) => put({ says: putText(kind.says, languages, language, text) })}
      />
      <TextInput
        label="What it says when it uses it"
        value={textIn(kind.used, language)}
        placeholder="With the dog, as always."
        onChange={(text) => put({ used: putText(kind.used, languages, language, text) })}
      />
      <Typed
        label="Variables of flows that it fills in, with commas between"
        value={(kind.fills ?? []).join(', ')}
        onChange={(text) => put({ fills: parted(text).length === 0 ? undefined : parted(text) })}
      />
      <KeptBesides language={language} />
    </>
  );
}

/** A list that is typed freely and read when one leaves it. */
function Typed({
  label,
  value,
  onChange,
}: {
  readonly label: string;
  readonly value: string;
  readonly onChange: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  return (
    <div style={{ display: 'contents' }} onBlur={() => text !== value && onChange(text)}>
      <TextInput label={label} value={text} onChange={setText} />
    </div>
  );
}

/** What holds for all kinds: what is never kept, and who sums up. */
function KeptBesides({ language }: { readonly language: string }) {
  const { document, edit } = useDraftHandle();
  const { languages, memory = {} } = document;
  const set = (change: Partial<MemoryDeclaration>) => edit((d) => withMemory(d, (m) => ({ ...m, ...change })));
  return (
    <fieldset className="mt-4">
      <legend className="caps soft">For all facts</legend>
      <Typed
        key={`never ${language}`}
        label="Never kept is what has one of these words in it"
        value={listOf(memory.never, language).join(', ')}
        onChange={(text) => set({ never: putWords(memory.never, languages, language, text) })}
      />
      <div className="fld">
        <label htmlFor="sums-up">Summed up in the background by</label>
        <select
          id="sums-up"
          className="form-select"
          value={memory.by ?? ''}
          onChange={(e) => set({ by: e.target.value === '' ? undefined : e.target.value })}
        >
          <option value="">nobody</option>
          {Object.keys(document.models ?? {}).map((id) => (
            <option key={id}>{id}</option>
          ))}
        </select>
      </div>
      <p className="note">
        Numbers of cards and accounts, and passwords, are never kept, whatever stands here. Visitors see what is known with “what
        do you know about me?” and have it forgotten with “forget everything”.
      </p>
    </fieldset>
  );
}

/** What stands beside the name of a kind in a list. */
export function factNote(kind: FactKind): string {
  const { type = 'yes_no' } = kind;
  return type === 'yes_no' ? 'yes or no' : type === 'text' ? 'words' : plainName(type);
}
