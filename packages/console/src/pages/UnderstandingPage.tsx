import { EVERYDAY, phrasesOf, idOf } from '@primrose/core';
import { Link, useNavigate, useParams } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewName } from '../parts/NewName.js';
import { plainName } from '../parts/words.js';
import { IntentEditor } from '../understanding/IntentEditor.js';
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
        {part === 'out-of-scope' && <OutOfScopeEditor />}
      </main>
      <aside className="side">
        <TryIt />
      </aside>
    </div>
  );
}

function Lists({ part, name }: { readonly part: string; readonly name: string | undefined }) {
  const { document, bot, edit } = useDraftHandle();
  const problems = useProblems(document);
  const navigate = useNavigate();
  const intents = Object.entries(document.intents ?? {});
  const entities = Object.entries(document.entities ?? {});
  const contexts = Object.entries(document.contexts ?? {});
  const at = (kind: string, id: string) => `/bots/${bot}/understanding/${kind}/${id}`;
  const current = (kind: string, id: string) => (part === kind && name === id ? 'page' : undefined);
  const outside = Object.values(document['out-of-scope'] ?? {}).flat().length;
  const add = (words: string) => {
    const id = idOf(words);
    if (id === '') return;
    edit((d) => (d.intents?.[id] ? d : putPart(d, 'intents', id, {})));
    void navigate(at('intent', id));
  };
  const addReady = (wish: string) => {
    edit((d) => (d.intents?.[wish] ? d : putPart(d, 'intents', wish, { about: EVERYDAY[wish]?.about ?? '', ready: wish })));
    void navigate(at('intent', wish));
  };
  const addPart = (what: 'entity' | 'pattern' | 'context', words: string) => {
    const name = idOf(words, '_');
    if (name === '') return;
    edit((d) => withPart(d, what, name));
    void navigate(at(what === 'context' ? 'context' : 'entity', name));
  };
  const free = Object.keys(EVERYDAY).filter((w) => !intents.some(([, i]) => i.ready === w));
  return (
    <nav className="lists" aria-label="Intents, entities and contexts">
      <h2>
        Intents <span className="note">{intents.length}</span>
      </h2>
      <ul>
        {intents.map(([id, intent]) => {
          const wrong = problems.filter((p) => p.field?.startsWith(`/intents/${id}`)).length;
          return (
            <li key={id}>
              <Link to={at('intent', id)} aria-current={current('intent', id)}>
                <span>{plainName(id)}</span>
                <span className="note">{phrasesOf(intent, document.languages).length}</span>
                {wrong > 0 && <span className="corner">{wrong}</span>}
              </Link>
            </li>
          );
        })}
        <li>
          <Link to={`/bots/${bot}/understanding/out-of-scope`} aria-current={part === 'out-of-scope' ? 'page' : undefined}>
            <span className="it">out of scope</span>
            <span className="note">{outside}</span>
          </Link>
        </li>
      </ul>
      <NewName label="New intent" onAdd={add} />
      {free.length > 0 && (
        <select className="form-select" aria-label="Add an everyday wish" value="" onChange={(e) => addReady(e.target.value)}>
          <option value="">Add an everyday wish…</option>
          {free.map((w) => (
            <option key={w} value={w}>
              {plainName(w)}
            </option>
          ))}
        </select>
      )}
      <h2>
        Entities <span className="note">{entities.length}</span>
      </h2>
      <ul>
        {entities.map(([id, e]) => (
          <li key={id}>
            <Link to={at('entity', id)} aria-current={current('entity', id)}>
              <span className="it">{plainName(id)}</span>
              <span className="note">{e.pattern === undefined ? `${Object.keys(e.values ?? {}).length} values` : 'pattern'}</span>
            </Link>
          </li>
        ))}
      </ul>
      <NewName label="New list" onAdd={(w) => addPart('entity', w)} />
      <NewName label="New pattern" onAdd={(w) => addPart('pattern', w)} />
      <h2>
        Contexts <span className="note">{contexts.length}</span>
      </h2>
      <ul>
        {contexts.map(([id, { lasts }]) => (
          <li key={id}>
            <Link to={at('context', id)} aria-current={current('context', id)}>
              <span className="it">{plainName(id)}</span>
              <span className="note">
                {lasts?.turns !== undefined
                  ? `${lasts.turns} turns`
                  : lasts?.minutes !== undefined
                    ? `${lasts.minutes} minutes`
                    : 'until closed'}
              </span>
            </Link>
          </li>
        ))}
      </ul>
      <NewName label="New context" onAdd={(w) => addPart('context', w)} />
    </nav>
  );
}
