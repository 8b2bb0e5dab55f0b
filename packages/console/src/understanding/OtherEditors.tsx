import { typeName, type BotDocument, type Context, type Entity } from '@primrose/core';
import { useState } from 'react';
import { RemoveButton, Rows } from '../details/Rows.js';
import { ShapedInput, TextInput } from '../details/fields.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { plainName } from '../parts/words.js';
import { EntityCsv } from './EntityCsv.js';
import { Mistakes } from './Mistakes.js';

interface EditorProps {
  readonly name: string;
  readonly onRemoved: () => void;
}

function Head({ title, onDelete }: { readonly title: string; readonly onDelete: () => void }) {
  return (
    <header>
      <h2>{title}</h2>
      <span className="spring" />
      <button className="bare note" type="button" onClick={onDelete}>
        delete
      </button>
    </header>
  );
}

type Words = string[] | Record<string, string[]>;

const wordsIn = (words: Words, language: string): string[] => (Array.isArray(words) ? words : (words[language] ?? []));

/** An entity: a list of values with their words, or a pattern. */
export function EntityEditor({ name, onRemoved }: EditorProps) {
  const { document, edit } = useDraftHandle();
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const entity = document.entities?.[name];
  if (!entity) return null;
  const put = (next: Entity) => edit((d) => putPart(d, 'entities', name, next));
  const values = Object.entries(entity.values ?? {});
  const setWords = (id: string, text: string) => {
    const list = text
      .split(',')
      .map((w) => w.trimStart())
      .filter((w, i, all) => w !== '' || i === all.length - 1);
    const old = entity.values?.[id] ?? [];
    const spread: Words =
      document.languages.length === 1
        ? list
        : { ...(Array.isArray(old) ? Object.fromEntries(document.languages.map((l) => [l, old])) : old), [language]: list };
    put({ ...entity, values: { ...entity.values, [id]: spread } });
  };
  return (
    <>
      <Head
        title={plainName(name)}
        onDelete={() => {
          edit((d) => putPart(d, 'entities', name, undefined));
          onRemoved();
        }}
      />
      <Mistakes field={`/entities/${name}`} />
      {entity.pattern !== undefined ? (
        <TextInput label="Pattern (RE2 syntax)" code value={entity.pattern} onChange={(pattern) => put({ ...entity, pattern })} />
      ) : (
        <>
          {document.languages.length > 1 && (
            <div className="langs" role="group" aria-label="Language of the words">
              {document.languages.map((l) => (
                <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
                  {l}
                </button>
              ))}
            </div>
          )}
          <Rows
            label="Values, with the words for each"
            add="a value"
            onAdd={() => put({ ...entity, values: { ...entity.values, [freeId(entity)]: [] } })}
          >
            {values.map(([id, words]) => (
              <div className="pair double" key={id}>
                <ShapedInput
                  label="Id"
                  code
                  value={id}
                  form={/^[a-z][a-z0-9]*(-[a-z0-9]+)*$/}
                  wrong="Small letters, digits and hyphens."
                  onChange={(next) =>
                    put({ ...entity, values: Object.fromEntries(values.map(([v, w]) => [v === id ? next : v, w])) })
                  }
                />
                <TextInput
                  label={`Words for ${id}, with commas between`}
                  value={wordsIn(words, language).join(', ')}
                  onChange={(text) => setWords(id, text)}
                />
                <RemoveButton
                  label={`Remove ${id}`}
                  onClick={() => put({ ...entity, values: Object.fromEntries(values.filter(([v]) => v !== id)) })}
                />
              </div>
            ))}
          </Rows>
          <EntityCsv
            name={name}
            values={entity.values ?? {}}
            languages={document.languages}
            onChange={(next) => put({ ...entity, values: next })}
          />
        </>
      )}
    </>
  );
}

function freeId({ values = {} }: Entity): string {
  for (let n = Object.keys(values).length + 1; ; n++) if (!(`value-${n}` in values)) return `value-${n}`;
}

/** A context: what it carries and how long it lasts. */
export function ContextEditor({ name, onRemoved }: EditorProps) {
  const { document, edit } = useDraftHandle();
  const context = document.contexts?.[name];
  if (!context) return null;
  const put = (next: Context) => edit((d) => putPart(d, 'contexts', name, next));
  const carries = Object.entries(context.carries ?? {});
  const last = (key: 'turns' | 'minutes', text: string) => {
    const { [key]: _old, ...rest } = context.lasts ?? {};
    const number = Math.round(Number(text));
    const lasts = text === '' || !(number > 0) ? rest : { ...rest, [key]: number };
    const { lasts: _lasts, ...others } = context;
    put(Object.keys(lasts).length === 0 ? others : { ...others, lasts });
  };
  return (
    <>
      <Head
        title={plainName(name)}
        onDelete={() => {
          edit((d) => putPart(d, 'contexts', name, undefined));
          onRemoved();
        }}
      />
      <Mistakes field={`/contexts/${name}`} />
      <TextInput
        label="What the conversation is about"
        value={context.about ?? ''}
        onChange={(about) => put({ ...context, about })}
      />
      <div className="pair double">
        <TextInput
          label="Lasts, in turns"
          value={String(context.lasts?.turns ?? '')}
          placeholder="until closed"
          onChange={(v) => last('turns', v)}
        />
        <TextInput
          label="and minutes"
          value={String(context.lasts?.minutes ?? '')}
          placeholder="until closed"
          onChange={(v) => last('minutes', v)}
        />
      </div>
      <Rows
        label="Carries"
        add="a value"
        onAdd={() => put({ ...context, carries: { ...context.carries, [`value_${carries.length + 1}`]: 'text' } })}
      >
        {carries.map(([key, type]) => (
          <div className="pair double" key={key}>
            <ShapedInput
              label="Name"
              code
              value={key}
              form={/^[a-z][a-z0-9]*(_[a-z0-9]+)*$/}
              wrong="Small letters, digits and underscores."
              onChange={(next) =>
                put({ ...context, carries: Object.fromEntries(carries.map(([k, t]) => [k === key ? next : k, t])) })
              }
            />
            <ShapedInput
              label="Type"
              code
              value={typeName(type)}
              form={/^[a-z][a-z0-9_]*\??$/}
              wrong="A type such as text, date or port."
              onChange={(next) => put({ ...context, carries: { ...context.carries, [key]: next } })}
            />
            <RemoveButton
              label={`Do not carry ${key}`}
              onClick={() => put({ ...context, carries: Object.fromEntries(carries.filter(([k]) => k !== key)) })}
            />
          </div>
        ))}
      </Rows>
    </>
  );
}

/** Sayings that the bot is not for, one a line and language. */
export function OutOfScopeEditor() {
  const { document, edit } = useDraftHandle();
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const list = document['out-of-scope']?.[language] ?? [];
  const write = (text: string) =>
    edit((d): BotDocument => {
      const lines = text.split('\n');
      return { ...d, 'out-of-scope': { ...d['out-of-scope'], [language]: text === '' ? [] : lines } };
    });
  return (
    <>
      <header>
        <h2>Out of scope</h2>
      </header>
      <p className="soft">Sayings that the bot is not for. They teach it to say so instead of guessing.</p>
      {document.languages.length > 1 && (
        <div className="langs" role="group" aria-label="Language of the sayings">
          {document.languages.map((l) => (
            <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
              {l}
            </button>
          ))}
        </div>
      )}
      <textarea
        className="form-control serif"
        rows={12}
        aria-label="Sayings, one a line"
        dir="auto"
        value={list.join('\n')}
        onChange={(e) => write(e.target.value)}
      />
    </>
  );
}

/** A document with a new entity or context of a name; one that is there already stays as it is. */
export function withPart(document: BotDocument, what: 'entity' | 'pattern' | 'context', name: string): BotDocument {
  if (what === 'context')
    return document.contexts?.[name] ? document : putPart(document, 'contexts', name, { lasts: { turns: 3 } });
  if (document.entities?.[name]) return document;
  return putPart(document, 'entities', name, what === 'pattern' ? { pattern: '' } : { values: {} });
}
