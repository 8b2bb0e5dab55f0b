import { idOf } from '@primrose/core';
import { Link, useNavigate, useParams } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { AskPanel } from '../knowledge/AskPanel.js';
import { DocumentList, useDocumentStates } from '../knowledge/DocumentList.js';
import { DocumentPanel } from '../knowledge/DocumentPanel.js';
import { Sources } from '../knowledge/Sources.js';
import { Uploads } from '../knowledge/Uploads.js';
import { useUploads } from '../knowledge/uploading.js';
import { NewName } from '../parts/NewName.js';
import { KnowledgeTabs } from '../parts/Tabs.js';

/** Knowledge bases: their documents, the passages these are split into, and a question to try. */
export default function KnowledgePage() {
  const { document, bot, edit } = useDraftHandle();
  const { base: wanted, document: id } = useParams();
  const navigate = useNavigate();
  const bases = Object.keys(document.knowledge ?? {});
  const base = wanted ?? bases[0];
  const shown = base === undefined ? undefined : document.knowledge?.[base];
  const uploading = useUploads(base);
  const addBase = (words: string) => {
    const name = idOf(words);
    if (name === '') return;
    edit((d) => (d.knowledge?.[name] ? d : putPart(d, 'knowledge', name, { documents: {} })));
    void navigate(`/bots/${bot}/knowledge/${name}`);
  };
  return (
    <div className="threefold">
      <nav className="lists" aria-label="Knowledge bases and documents">
        <KnowledgeTabs />
        {bases.map((b) => (
          <div key={b}>
            <h2>
              <Link to={`/bots/${bot}/knowledge/${b}`}>{b.replaceAll('-', ' ')}</Link>
            </h2>
            <DocumentList base={b} current={b === base ? id : undefined} />
          </div>
        ))}
        <NewName label="New knowledge base" onAdd={addBase} />
      </nav>
      <main className="middle" aria-label="Documents and passages">
        {base === undefined || !shown ? (
          <div className="empty">
            <p>The bot knows nothing by heart yet. Name a knowledge base, then upload what it should know.</p>
          </div>
        ) : id !== undefined ? (
          <DocumentPanel key={`${base}/${id}`} base={base} id={id} add={uploading.add} />
        ) : (
          <>
            <BaseHead base={base} />
            <Uploads {...uploading} />
            <Sources key={base} base={base} />
            <BaseFigures base={base} />
          </>
        )}
      </main>
      <aside className="side">{base !== undefined && shown && <AskPanel key={base} base={base} />}</aside>
    </div>
  );
}

function BaseHead({ base }: { readonly base: string }) {
  const { document, edit } = useDraftHandle();
  const shown = document.knowledge?.[base];
  if (!shown) return null;
  const change = (changes: Partial<typeof shown>) =>
    edit((d) => {
      const now = d.knowledge?.[base] ?? shown;
      const entries = Object.entries({ ...now, ...changes }).filter(([, v]) => v !== undefined);
      return putPart(d, 'knowledge', base, Object.fromEntries(entries) as typeof shown);
    });
  return (
    <>
      <header>
        <h2>{base.replaceAll('-', ' ')}</h2>
      </header>
      <input
        className="form-control about"
        aria-label="What it is about"
        placeholder="What it is about"
        value={shown.about ?? ''}
        onChange={(e) => change({ about: e.target.value })}
      />
      <p className="facts">
        <label>
          <input
            type="checkbox"
            checked={shown.follows === 'draft'}
            onChange={(e) => change({ follows: e.target.checked ? 'draft' : undefined })}
          />{' '}
          Releases follow these documents <span className="note">instead of those they were tested with</span>
        </label>
        <label>
          <input
            type="checkbox"
            checked={shown.private === true}
            onChange={(e) => change({ private: e.target.checked ? true : undefined })}
          />{' '}
          For staff only <span className="note">visitors get no page of a source</span>
        </label>
        {Object.keys(document.models ?? {}).length > 0 && (
          <label>
            PDFs whose pages are pictures are read by{' '}
            <select
              className="form-select form-select-sm"
              value={shown.sees ?? ''}
              onChange={(e) => change({ sees: e.target.value === '' ? undefined : e.target.value })}
            >
              <option value="">nobody</option>
              {Object.keys(document.models ?? {}).map((m) => (
                <option key={m}>{m}</option>
              ))}
            </select>
          </label>
        )}
      </p>
    </>
  );
}

/** What a base holds together. */
function BaseFigures({ base }: { readonly base: string }) {
  const { bot } = useDraftHandle();
  const states = [...useDocumentStates(base).values()];
  const passages = states.reduce((sum, d) => sum + (d.passages ?? 0), 0);
  const open = states.filter((d) => d.state !== 'ready' && d.state !== 'failed').length;
  const failed = states.filter((d) => d.state === 'failed');
  return (
    <>
      <p className="note" role="status">
        {passages} {passages === 1 ? 'passage' : 'passages'} in {states.length} {states.length === 1 ? 'document' : 'documents'}
        {open > 0 && `, ${open} of them not ready yet`}
      </p>
      {failed.map((d) => (
        <p key={d.document} className="plum">
          <Link to={`/bots/${bot}/knowledge/${base}/${d.document}`}>{d.title}</Link>: {d.problem}
        </p>
      ))}
      <table className="t">
        <thead>
          <tr>
            <th scope="col">Document</th>
            <th scope="col">Form</th>
            <th scope="col" className="num">
              Pages
            </th>
            <th scope="col" className="num">
              Passages
            </th>
            <th scope="col">State</th>
          </tr>
        </thead>
        <tbody>
          {states.map((d) => (
            <tr key={d.document}>
              <td dir="auto">
                <Link to={`/bots/${bot}/knowledge/${base}/${d.document}`}>{d.title}</Link>
              </td>
              <td>{d.form}</td>
              <td className="num">{d.pages}</td>
              <td className="num">{d.passages}</td>
              <td className={d.state === 'failed' ? 'plum' : undefined}>
                {d.state === 'ready' && !d.used ? 'not in use' : d.state}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
