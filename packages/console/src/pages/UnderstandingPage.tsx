import { EVERYDAY, phrasesOf, idOf, type Intent } from '@primrose/core';
import type { ReactNode } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewName } from '../parts/NewName.js';
import { UnderstandingTabs } from '../parts/Tabs.js';
import { plainName } from '../parts/words.js';
import { IntentEditor } from '../understanding/IntentEditor.js';
import { FactEditor, factNote, withFact } from '../understanding/FactEditor.js';
import { ContextEditor, EntityEditor, OutOfScopeEditor, withPart } from '../understanding/OtherEditors.js';
import { TryIt } from '../understanding/TryIt.js';

/** Intents, entities and contexts of the bot, with a line to try them. */
export default function UnderstandingPage() {
  const { document, bot } = useDraftHandle();
  const { part = 'intent', name } = useParams();
  const navigate = useNavigate();
  const [first] = Object.keys(document.intents ?? {});
  const shown = name ?? (part === 'intent' ? first : undefined);
  const away = () => void navigate(`/bots/${bot}/understanding`);
  return (
    <div className="threefold">
      <Lists part={part} name={shown} />
      <main className="middle" aria-label="What is taught">
        {part === 'intent' && shown !== undefined && <IntentEditor key={shown} name={shown} onRemoved={away} />}
        {part === 'intent' && shown === undefined && (
          <div className="empty">
            <p>No intents. Paste ten things people ask.</p>
          </div>
        )}
        {part === 'entity' && shown !== undefined && <EntityEditor key={shown} name={shown} onRemoved={away} />}
        {part === 'context' && shown !== undefined && <ContextEditor key={shown} name={shown} onRemoved={away} />}
        {part === 'fact' && shown !== undefined && <FactEditor key={shown} name={shown} onRemoved={away} />}
        {part === 'out-of-scope' && <OutOfScopeEditor />}
      </main>
      <aside className="side">
        <TryIt />
      </aside>
    </div>
  );
}

interface ListsProps {
  readonly part: string;
  readonly name: string | undefined;
}

function Lists(props: ListsProps) {
  return (
    <nav className="lists" aria-label="Intents, entities, contexts and facts">
      <UnderstandingTabs />
      <Intents {...props} />
      <Entities {...props} />
      <Contexts {...props} />
      <Facts {...props} />
    </nav>
  );
}

/** One of a list, with what is to be known of it at a glance. */
function Item({ at, current, children }: { readonly at: string; readonly current: boolean; readonly children: ReactNode }) {
  const { bot } = useDraftHandle();
  return (
    <li>
      <Link to={`/bots/${bot}/understanding/${at}`} aria-current={current ? 'page' : undefined}>
        {children}
      </Link>
    </li>
  );
}

function Intents({ part, name }: ListsProps) {
  const { document, bot, edit } = useDraftHandle();
  const problems = useProblems(document);
  const navigate = useNavigate();
  const intents = Object.entries(document.intents ?? {});
  const outside = Object.values(document['out-of-scope'] ?? {}).flat().length;
  const add = (id: string, intent: Intent) => {
    if (id === '') return;
    edit((d) => (d.intents?.[id] ? d : putPart(d, 'intents', id, intent)));
    void navigate(`/bots/${bot}/understanding/intent/${id}`);
  };
  const free = Object.keys(EVERYDAY).filter((w) => !intents.some(([, i]) => i.ready === w));
  return (
    <>
      <h2>
        Intents <span className="note">{intents.length}</span>
      </h2>
      <ul>
        {intents.map(([id, intent]) => {
          const wrong = problems.filter((p) => p.field?.startsWith(`/intents/${id}`)).length;
          return (
            <Item key={id} at={`intent/${id}`} current={part === 'intent' && name === id}>
              <span>{plainName(id)}</span>
              <span className="note">{phrasesOf(intent, document.languages).length}</span>
              {wrong > 0 && <span className="corner">{wrong}</span>}
            </Item>
          );
        })}
        <Item at="out-of-scope" current={part === 'out-of-scope'}>
          <span className="it">out of scope</span>
          <span className="note">{outside}</span>
        </Item>
      </ul>
      <NewName label="New intent" onAdd={(words) => add(idOf(words), {})} />
      {free.length > 0 && (
        <select
          className="form-select"
          aria-label="Add an everyday wish"
          value=""
          onChange={({ target: { value: wish } }) => add(wish, { about: EVERYDAY[wish]?.about ?? '', ready: wish })}
        >
          <option value="">Add an everyday wish…</option>
          {free.map((w) => (
            <option key={w} value={w}>
              {plainName(w)}
            </option>
          ))}
        </select>
      )}
    </>
  );
}

/** Adds an entity or a context by its name, and goes to it. */
function useAddPart() {
  const { bot, edit } = useDraftHandle();
  const navigate = useNavigate();
  return (what: 'entity' | 'pattern' | 'context', words: string) => {
    const name = idOf(words, '_');
    if (name === '') return;
    edit((d) => withPart(d, what, name));
    void navigate(`/bots/${bot}/understanding/${what === 'context' ? 'context' : 'entity'}/${name}`);
  };
}

function Entities({ part, name }: ListsProps) {
  const entities = Object.entries(useDraftHandle().document.entities ?? {});
  const add = useAddPart();
  return (
    <>
      <h2>
        Entities <span className="note">{entities.length}</span>
      </h2>
      <ul>
        {entities.map(([id, e]) => (
          <Item key={id} at={`entity/${id}`} current={part === 'entity' && name === id}>
            <span className="it">{plainName(id)}</span>
            <span className="note">{e.pattern === undefined ? `${Object.keys(e.values ?? {}).length} values` : 'pattern'}</span>
          </Item>
        ))}
      </ul>
      <NewName label="New list" onAdd={(w) => add('entity', w)} />
      <NewName label="New pattern" onAdd={(w) => add('pattern', w)} />
    </>
  );
}

function Contexts({ part, name }: ListsProps) {
  const contexts = Object.entries(useDraftHandle().document.contexts ?? {});
  const add = useAddPart();
  return (
    <>
      <h2>
        Contexts <span className="note">{contexts.length}</span>
      </h2>
      <ul>
        {contexts.map(([id, { lasts }]) => (
          <Item key={id} at={`context/${id}`} current={part === 'context' && name === id}>
            <span className="it">{plainName(id)}</span>
            <span className="note">{lastsFor(lasts)}</span>
          </Item>
        ))}
      </ul>
      <NewName label="New context" onAdd={(w) => add('context', w)} />
    </>
  );
}

/** What is kept about visitors. */
function Facts({ part, name }: ListsProps) {
  const { document, bot, edit } = useDraftHandle();
  const navigate = useNavigate();
  const facts = Object.entries(document.memory?.facts ?? {});
  const add = (words: string) => {
    const id = idOf(words, '_');
    if (id === '') return;
    edit((d) => (d.memory?.facts?.[id] ? d : withFact(d, id, { about: words.trim() })));
    void navigate(`/bots/${bot}/understanding/fact/${id}`);
  };
  return (
    <>
      <h2>
        Facts <span className="note">{facts.length}</span>
      </h2>
      <ul>
        {facts.map(([id, kind]) => (
          <Item key={id} at={`fact/${id}`} current={part === 'fact' && name === id}>
            <span className="it">{plainName(id)}</span>
            <span className="note">{factNote(kind)}</span>
          </Item>
        ))}
      </ul>
      <NewName label="New fact" onAdd={add} />
    </>
  );
}

function lastsFor(lasts: { readonly turns?: number | undefined; readonly minutes?: number | undefined } | undefined): string {
  if (lasts?.turns !== undefined) return `${lasts.turns} turns`;
  return lasts?.minutes === undefined ? 'until closed' : `${lasts.minutes} minutes`;
}
