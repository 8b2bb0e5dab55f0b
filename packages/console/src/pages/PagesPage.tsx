import {
  addPart,
  changePage,
  formOfType,
  movePart,
  problemSentence,
  removePart,
  unshown,
  type Page,
  type PagePart,
} from '@primrose/core';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewPage } from '../formpages/NewPage.js';
import { PageGrid } from '../formpages/PageGrid.js';
import { PageSettings } from '../formpages/PageSettings.js';
import { PartDetails } from '../formpages/PartDetails.js';
import { Results } from '../formpages/Results.js';
import { Shares } from '../formpages/Shares.js';

const VIEWS = [
  ['edit', 'Parts'],
  ['try', 'Try it'],
  ['share', 'Share'],
  ['results', 'Results'],
] as const;

/** The pages of a bot: flows as forms that answer. */
export default function PagesPage() {
  const { document, bot } = useDraftHandle();
  const { page: wanted, view = 'edit' } = useParams();
  const pages = document.pages ?? {};
  const id = wanted ?? Object.keys(pages)[0];
  const page = id === undefined || id === 'new' ? undefined : pages[id];
  return (
    <div className="threefold pagesof">
      <nav className="lists" aria-label="Pages">
        {Object.entries(pages).map(([p, { title }]) => (
          <Link key={p} to={`/bots/${bot}/pages/${p}`} aria-current={p === id ? 'page' : undefined}>
            <span dir="auto">{title}</span>
          </Link>
        ))}
        <Link to={`/bots/${bot}/pages/new`} aria-current={id === 'new' ? 'page' : undefined}>
          New page
        </Link>
        <a href="/pages" target="_blank" rel="noreferrer" className="note">
          Gallery
        </a>
      </nav>
      {id !== undefined && page ? <OnePage key={id} id={id} page={page} view={view} /> : <NoPage />}
    </div>
  );
}

function NoPage() {
  return (
    <main className="middle" aria-label="A new page">
      <header>
        <h2>A new page</h2>
      </header>
      <p className="note">
        A page is a form that answers: somebody fills it in, a flow works, and what comes of it stands beside.
      </p>
      <NewPage />
    </main>
  );
}

function OnePage({ id, page, view }: { readonly id: string; readonly page: Page; readonly view: string }) {
  const { bot, edit } = useDraftHandle();
  const navigate = useNavigate();
  const [selected, setSelected] = useState<number>();
  const change = (next: Page) => edit((d) => changePage(d, id, () => next));
  const remove = (at: number) => {
    change(removePart(page, at));
    setSelected(undefined);
  };
  const part = selected === undefined ? undefined : page.parts[selected];
  const write = (at: number, next: PagePart) => change({ ...page, parts: page.parts.map((p, i) => (i === at ? next : p)) });
  const move = (at: number, by: number) => {
    change(movePart(page, at, by));
    setSelected(Math.max(0, Math.min(page.parts.length - 1, at + by)));
  };
  return (
    <>
      <main className="middle" aria-label="The page">
        <header>
          <h2 dir="auto">{page.title}</h2>
          <button
            type="button"
            className="bare note"
            onClick={() => {
              edit((d) => putPart(d, 'pages', id, undefined));
              void navigate(`/bots/${bot}/pages`);
            }}
          >
            remove
          </button>
        </header>
        <nav className="subtabs" aria-label="Of this page">
          {VIEWS.map(([path, label]) => (
            <Link key={path} to={`/bots/${bot}/pages/${id}/${path}`} aria-current={view === path ? 'page' : undefined}>
              {label}
            </Link>
          ))}
        </nav>
        {view === 'edit' && (
          <>
            <AddPart
              page={page}
              onAdd={(added) => {
                change(addPart(page, added, selected));
                setSelected(selected === undefined ? page.parts.length : selected + 1);
              }}
            />
            <PageGrid page={page} selected={selected} onSelect={setSelected} onChange={change} onRemove={remove} />
            <p className="note">
              Arrows go from part to part; with <kbd>Alt</kbd> they move it, with <kbd>Shift</kbd> they make it wider or narrower;{' '}
              <kbd>Del</kbd> removes it.
            </p>
            <Mistakes id={id} />
          </>
        )}
        {view === 'try' && <TryFrame id={id} title={page.title} />}
        {view === 'share' && <Shares page={id} />}
        {view === 'results' && <Results page={id} />}
      </main>
      <aside className="side" aria-label="Details">
        {part && selected !== undefined && view === 'edit' ? (
          <PartDetails
            key={`${selected} ${JSON.stringify(Object.keys(part))}`}
            page={page}
            part={part}
            onChange={(next) => write(selected, next)}
            onMove={(by) => move(selected, by)}
            onRemove={() => remove(selected)}
          />
        ) : (
          <PageSettings page={page} onChange={change} />
        )}
      </aside>
    </>
  );
}

function Mistakes({ id }: { readonly id: string }) {
  const { document } = useDraftHandle();
  const flow = document.pages?.[id]?.flow;
  const problems = useProblems(document).filter(
    (p) => p.field?.startsWith(`/pages/${id}/`) === true || (p.flow !== undefined && p.flow === flow),
  );
  return problems.map((p, i) => (
    <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`} role="status">
      {problemSentence(p)}
    </p>
  ));
}

/** Parts that can be added: inputs and outputs of the flow that are not shown yet, a chat, words, a picture. */
function AddPart({ page, onAdd }: { readonly page: Page; readonly onAdd: (part: PagePart) => void }) {
  const { document } = useDraftHandle();
  const left = unshown(document, page);
  const takes = document.flows[page.flow]?.takes ?? {};
  const choices: readonly (readonly [string, PagePart])[] = [
    ...left.inputs.map(
      (input) => [`input ${input.replaceAll('_', ' ')}`, { input, as: formOfType(takes[input] ?? 'text') }] as const,
    ),
    ...left.outputs.map((output) => [`output ${output.replaceAll('_', ' ')}`, { output }] as const),
    ['a chat', { chat: page.flow }],
    ['words', { text: 'Words' }],
    ['a picture', { picture: '', alt: '' }],
  ];
  return (
    <div className="addpart" role="group" aria-label="Add a part">
      {choices.map(([label, part]) => (
        <button key={label} type="button" className="bare" onClick={() => onAdd(part)}>
          + {label}
        </button>
      ))}
    </div>
  );
}

/** The page of the draft, as somebody would see it. What is filled in here runs on the draft, with all that was typed before it. */
function TryFrame({ id, title }: { readonly id: string; readonly title: string }) {
  const { bot, flush } = useDraftHandle();
  const [saved, setSaved] = useState(false);
  useEffect(() => void flush().then(() => setSaved(true)), [flush]);
  return saved ? <iframe className="tryframe" title={`${title}, on the draft`} src={`/pages/try/${bot}/${id}`} /> : null;
}
