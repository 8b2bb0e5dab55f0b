import { BUILT_IN_ENTITIES, EVERYDAY, phrasesOf, problemSentence, readPhrase, type Intent } from '@primrose/core';
import { useState, type ClipboardEvent, type FormEvent } from 'react';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { plainName } from '../parts/words.js';
import { PhraseLine } from './PhraseLine.js';
import { Claims, claimsOn, marked, PhraseTools, type Claimed } from './PhraseTools.js';

/** Removes a key where the value is undefined. */
function withField<K extends keyof Intent>(intent: Intent, key: K, value: Intent[K] | undefined): Intent {
  const { [key]: _old, ...rest } = intent;
  return value === undefined ? rest : { ...intent, [key]: value };
}

type SetField = <K extends keyof Intent>(key: K, value: Intent[K] | undefined) => void;

interface PartProps {
  readonly intent: Intent;
  readonly set: SetField;
}

/** One intent: what it is, what it starts, and how visitors say it. */
export function IntentEditor({ name, onRemoved }: { readonly name: string; readonly onRemoved: () => void }) {
  const { document, edit } = useDraftHandle();
  const problems = useProblems(document).filter((p) => p.field?.startsWith(`/intents/${name}`));
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const intent = document.intents?.[name];
  if (!intent) return null;
  const set: SetField = (key, value) => edit((d) => putPart(d, 'intents', name, withField(d.intents?.[name] ?? {}, key, value)));
  const remove = () => {
    edit((d) => putPart(d, 'intents', name, undefined));
    onRemoved();
  };
  return (
    <>
      <header>
        <h2>{plainName(name)}</h2>
        <span className="spring" />
        <button className="bare note" type="button" onClick={remove}>
          delete
        </button>
      </header>
      <input
        className="form-control about"
        aria-label="What the visitor wants"
        placeholder="What the visitor wants"
        value={intent.about ?? ''}
        onChange={(e) => set('about', e.target.value === '' ? undefined : e.target.value)}
      />
      <Facts intent={intent} set={set} />
      {problems.map((p, i) => (
        <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`}>
          {problemSentence(p)}
        </p>
      ))}
      <Languages chosen={language} onChoose={setLanguage} />
      <Phrases key={language} name={name} intent={intent} set={set} language={language} />
    </>
  );
}

interface ChoiceProps {
  readonly label: string;
  readonly value: string | undefined;
  readonly none: string;
  /** Values with the words for them. */
  readonly options: readonly (readonly [string, string])[];
  readonly onChange: (value: string | undefined) => void;
}

/** One of some values, or none of them. */
function OneOf({ label, value, none, options, onChange }: ChoiceProps) {
  return (
    <label>
      {label}{' '}
      <select
        className="form-select"
        value={value ?? ''}
        onChange={(e) => onChange(e.target.value === '' ? undefined : e.target.value)}
      >
        <option value="">{none}</option>
        {options.map(([id, words]) => (
          <option key={id} value={id}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

/** How many phrases there are, what the intent starts, and when it counts. */
function Facts({ intent, set }: PartProps) {
  const { document } = useDraftHandle();
  const all = phrasesOf(intent, document.languages).length;
  const flows = Object.entries(document.flows).map(([id, f]) => [id, f.title ?? id] as const);
  const contexts = Object.keys(document.contexts ?? {}).map((c) => [c, c] as const);
  const wishes = Object.keys(EVERYDAY).map((w) => [w, plainName(w)] as const);
  return (
    <div className="facts">
      <span>
        <b>{all}</b> {all === 1 ? 'phrase' : 'phrases'}
      </span>
      <OneOf label="starts" value={intent.starts} none="no flow" options={flows} onChange={(v) => set('starts', v)} />
      <OneOf label="needs" value={intent.needs} none="no context" options={contexts} onChange={(v) => set('needs', v)} />
      <label>
        <input
          type="checkbox"
          checked={intent.interrupts !== false}
          onChange={(e) => set('interrupts', e.target.checked ? undefined : false)}
        />{' '}
        may interrupt
      </label>
      <OneOf label="everyday wish" value={intent.ready} none="none" options={wishes} onChange={(v) => set('ready', v)} />
    </div>
  );
}

function Languages({ chosen, onChoose }: { readonly chosen: string; readonly onChoose: (language: string) => void }) {
  const { document } = useDraftHandle();
  if (document.languages.length < 2) return null;
  return (
    <div className="langs" role="group" aria-label="Language of the phrases">
      {document.languages.map((l) => (
        <button key={l} type="button" aria-pressed={l === chosen} onClick={() => onChoose(l)}>
          {l}
        </button>
      ))}
    </div>
  );
}

/** The phrases of an intent in one language. */
function Phrases({ name, intent, set, language }: PartProps & { readonly name: string; readonly language: string }) {
  const { document, bot } = useDraftHandle();
  const [claims, setClaims] = useState<readonly Claimed[]>([]);
  const entities = [...Object.keys(document.entities ?? {}), ...BUILT_IN_ENTITIES];
  const list = intent.phrases?.[language] ?? [];
  const write = (next: readonly string[]) => {
    const { [language]: _old, ...rest } = intent.phrases ?? {};
    const phrases = next.length === 0 ? rest : { ...intent.phrases, [language]: [...next] };
    set('phrases', Object.keys(phrases).length === 0 ? undefined : phrases);
  };
  const add = (added: readonly string[]) => {
    const fresh = [...new Set(marked(document, name, added, language))].filter((a) => !list.includes(a));
    // Asked before they are written: what the draft made of them until now.
    const texts = fresh.map((f) => readPhrase(f).text);
    claimsOn(document, bot, name, texts, language).then(setClaims, () => setClaims([]));
    write([...fresh, ...list]);
  };
  return (
    <>
      <AddPhrase onAdd={add} />
      <Claims claims={claims} />
      <ol className="phrases">
        {list.map((source, i) => (
          <PhraseLine
            key={source}
            source={source}
            number={i + 1}
            entities={entities}
            onChange={(next) => write(list.map((s, j) => (i === j ? next : s)))}
            onRemove={() => write(list.filter((_, j) => j !== i))}
          />
        ))}
      </ol>
      <PhraseTools name={name} intent={intent} language={language} onAdd={add} />
      {intent.ready !== undefined && (
        <p className="note">
          The ready phrases of “{plainName(intent.ready)}” count as well:{' '}
          {(EVERYDAY[intent.ready]?.phrases[language] ?? []).slice(0, 6).join(', ')}…
        </p>
      )}
    </>
  );
}

/** The line to add phrases; several pasted lines become several phrases. */
function AddPhrase({ onAdd }: { readonly onAdd: (phrases: readonly string[]) => void }) {
  const [text, setText] = useState('');
  const lines = (of: string) =>
    of
      .split(/\r?\n/)
      .map((l) => l.replace(/^[-*•]\s+/, '').trim())
      .filter((l) => l !== '');
  const add = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() !== '') onAdd(lines(text));
    setText('');
  };
  const paste = (event: ClipboardEvent) => {
    const pasted = lines(event.clipboardData.getData('text'));
    if (pasted.length < 2) return;
    event.preventDefault();
    onAdd(pasted);
  };
  return (
    <form className="addphrase" onSubmit={add}>
      <input
        className="form-control"
        id="add-phrase"
        aria-label="Add a phrase a visitor might say"
        placeholder="Add a phrase a visitor might say"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onPaste={paste}
      />
      <span className="note">select words to mark a value</span>
    </form>
  );
}
