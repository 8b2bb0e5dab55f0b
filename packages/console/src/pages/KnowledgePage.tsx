import { problemSentence, splitDocument, type BotDocument, type KnowledgeDocument, idOf } from '@primrose/core';
import { useMemo, useState, type ChangeEvent, type FormEvent } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { call, errorText } from '../api.js';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewName } from '../parts/NewName.js';
import { PassageList } from '../parts/PassageList.js';
import { Alarm } from '../parts/Alarm.js';

const FORM_OF_ENDING: Readonly<Record<string, KnowledgeDocument['form']>> = {
  md: 'markdown',
  markdown: 'markdown',
  txt: 'text',
  html: 'html',
  htm: 'html',
};
const MAX_BYTES = 1_000_000;

/** Puts a document into a base, or takes it out. */
function putDocument(document: BotDocument, base: string, id: string, value: KnowledgeDocument | undefined): BotDocument {
  const present = document.knowledge?.[base] ?? { documents: {} };
  const { [id]: _old, ...rest } = present.documents;
  return putPart(document, 'knowledge', base, { ...present, documents: value ? { ...present.documents, [id]: value } : rest });
}

/** Knowledge bases: their documents, the passages these are split into, and a question to try. */
export default function KnowledgePage() {
  const { document, bot, edit } = useDraftHandle();
  const { base: wanted, document: id } = useParams();
  const navigate = useNavigate();
  const bases = Object.keys(document.knowledge ?? {});
  const base = wanted ?? bases[0];
  const shown = base === undefined ? undefined : document.knowledge?.[base];
  const [problem, setProblem] = useState<string>();
  const addBase = (words: string) => {
    const name = idOf(words);
    if (name === '') return;
    edit((d) => (d.knowledge?.[name] ? d : putPart(d, 'knowledge', name, { documents: {} })));
    void navigate(`/bots/${bot}/knowledge/${name}`);
  };
  const uploadFiles = async (event: ChangeEvent<HTMLInputElement>) => {
    const files = [...(event.target.files ?? [])];
    event.target.value = '';
    setProblem(undefined);
    for (const file of files) {
      const form = FORM_OF_ENDING[file.name.split('.').at(-1)?.toLowerCase() ?? ''];
      if (!form) setProblem(`${file.name} is neither Markdown, text nor HTML (.md, .txt, .html). Save it as one of these.`);
      else if (file.size > MAX_BYTES) setProblem(`${file.name} is larger than 1 MB. Split it up.`);
      else if (base !== undefined) {
        const text = await file.text();
        const title = file.name.replace(/\.[^.]+$/, '');
        edit((d) => putDocument(d, base, idOf(title) || 'document', { title, form, text }));
      }
    }
  };
  return (
    <div className="threefold">
      <nav className="lists" aria-label="Knowledge bases and documents">
        {bases.map((b) => (
          <div key={b}>
            <h2>
              <Link to={`/bots/${bot}/knowledge/${b}`}>{b.replaceAll('-', ' ')}</Link>
            </h2>
            <Documents base={b} current={b === base ? id : undefined} />
          </div>
        ))}
        <NewName label="New knowledge base" onAdd={addBase} />
      </nav>
      <main className="middle" aria-label="Documents and passages">
        {base === undefined || !shown ? (
          <div className="empty">
            <p>The bot knows nothing by heart yet. Name a knowledge base, then upload what it should know.</p>
          </div>
        ) : (
          <>
            <header>
              <h2>{base.replaceAll('-', ' ')}</h2>
            </header>
            <input
              className="form-control about"
              aria-label="What it is about"
              placeholder="What it is about"
              value={shown.about ?? ''}
              onChange={(e) => edit((d) => putPart(d, 'knowledge', base, { ...shown, about: e.target.value }))}
            />
            <div className="facts">
              <label className="btn btn-outline-secondary btn-sm">
                Upload documents
                <input
                  className="visually-hidden"
                  type="file"
                  multiple
                  accept=".md,.markdown,.txt,.html,.htm"
                  onChange={(e) => void uploadFiles(e)}
                />
              </label>
              <span className="note">Markdown, text or HTML, up to 1 MB each; they are part of the bot and of its releases</span>
            </div>
            {problem !== undefined && <Alarm>{problem}</Alarm>}
            <Passages base={base} only={id} />
          </>
        )}
      </main>
      <aside className="side">{base !== undefined && shown && <Ask key={base} base={base} />}</aside>
    </div>
  );
}

function Documents({ base, current }: { readonly base: string; readonly current: string | undefined }) {
  const { document, bot, edit } = useDraftHandle();
  const problems = useProblems(document);
  return (
    <ul>
      {Object.entries(document.knowledge?.[base]?.documents ?? {}).map(([id, d]) => {
        const wrong = problems.filter((p) => p.field === `/knowledge/${base}/documents/${id}`);
        return (
          <li key={id} className="docrow">
            <Link to={`/bots/${bot}/knowledge/${base}/${id}`} aria-current={current === id ? 'page' : undefined}>
              <span dir="auto">{d.title ?? id}</span>
              <span className="note">{d.form}</span>
              {wrong[0] && (
                <span className="corner" title={problemSentence(wrong[0])}>
                  {wrong.length}
                </span>
              )}
            </Link>
            {current === id && (
              <button className="bare note" type="button" onClick={() => edit((doc) => putDocument(doc, base, id, undefined))}>
                remove {d.title ?? id}
              </button>
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** The passages of a base, or of one of its documents, as they are ranked and cited. */
function Passages({ base, only }: { readonly base: string; readonly only: string | undefined }) {
  const { document } = useDraftHandle();
  const documents = document.knowledge?.[base]?.documents;
  const passages = useMemo(
    () =>
      Object.entries(documents ?? {})
        .filter(([id]) => only === undefined || id === only)
        .flatMap(([id, d]) => splitDocument(id, d)),
    [documents, only],
  );
  return (
    <>
      <p className="note">
        {passages.length} {passages.length === 1 ? 'passage' : 'passages'}, split at headings and by size
      </p>
      <ol className="passages">
        {passages.map((p, i) => (
          <li key={i}>
            <span className="note">
              {p.title}
              {p.heading && ` › ${p.heading}`}
            </span>
            <p dir="auto">{p.text}</p>
          </li>
        ))}
      </ol>
    </>
  );
}

type Answer = Awaited<ReturnType<typeof call<'askKnowledge'>>>;

function Ask({ base }: { readonly base: string }) {
  const { bot, flush } = useDraftHandle();
  const [question, setQuestion] = useState('');
  const [answer, setAnswer] = useState<Answer>();
  const [problem, setProblem] = useState<string>();
  const ask = (event: FormEvent) => {
    event.preventDefault();
    if (question.trim() === '') return;
    setProblem(undefined);
    flush()
      .then(() => call('askKnowledge', { params: { bot, knowledge: base }, body: { question } }))
      .then(setAnswer)
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <section aria-label="Try a question">
      <h2>Try a question</h2>
      <form onSubmit={ask}>
        <input
          className="form-control serif"
          aria-label="Question"
          placeholder="Ask something, then Enter"
          value={question}
          onChange={(e) => setQuestion(e.target.value)}
        />
      </form>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {answer && (
        <div role="status">
          <p className={answer.found.covered ? 'b' : 'plum'}>
            {answer.found.covered ? 'Covered' : 'Not covered'}
            <span className="note">
              {' '}
              by {Math.round(answer.found.share * 100)} % of its words’ weight, {answer.ms} ms
            </span>
          </p>
          {answer.found.missing.length > 0 && <p className="note">In no document: {answer.found.missing.join(', ')}</p>}
          <PassageList passages={answer.found.passages} />
        </div>
      )}
    </section>
  );
}
