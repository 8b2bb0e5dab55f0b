import { addPage, addSearchPage, withProposal, type BotDocument, type PageProposal } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { Chosen } from './PartDetails.js';

/** A page from a description in one's own words, or over a flow that is there. */
export function NewPage() {
  const { document, bot, edit, flush } = useDraftHandle();
  const navigate = useNavigate();
  const profiles = Object.keys(document.models ?? {});
  const [words, setWords] = useState('');
  const [profile, setProfile] = useState('');
  const [flow, setFlow] = useState(Object.keys(document.flows)[0] ?? '');
  const [title, setTitle] = useState('');
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string>();
  const [notes, setNotes] = useState<readonly string[]>([]);
  const describe = async (event: FormEvent) => {
    event.preventDefault();
    if (words.trim() === '' || busy) return;
    setBusy(true);
    setProblem(undefined);
    try {
      const proposed = await call('proposePage', { params: { bot }, body: { words, ...(profile === '' ? {} : { profile }) } });
      setNotes(proposed.notes);
      // The service has made it by the same rules as a document is read by.
      const { id, page, flows } = proposed as unknown as PageProposal;
      edit((d) => withProposal(d, { id, page, flows }));
      await flush();
      if (proposed.notes.length === 0) void navigate(`/bots/${bot}/pages/${id}`);
    } catch (error) {
      setProblem(errorText(error));
    }
    setBusy(false);
  };
  const overFlow = (event: FormEvent) => {
    event.preventDefault();
    const made = addPage(document, title.trim() || (document.flows[flow]?.title ?? flow), flow);
    edit((d: BotDocument) => addPage(d, title.trim() || (d.flows[flow]?.title ?? flow), flow).document);
    void navigate(`/bots/${bot}/pages/${made.page}`);
  };
  return (
    <div className="newpage">
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {notes.map((n) => (
        <p key={n} role="status" className="mistake mild">
          {n}
        </p>
      ))}
      <form onSubmit={(e) => void describe(e)} aria-label="A page from a description">
        <label className="fld">
          <span>Describe the page: what it asks for, and what it gives</span>
          <textarea
            className="form-control"
            rows={4}
            placeholder="A complaint helper that takes a letter and how firm (friendly, firm) and gives a summary, a reply and a list of next steps"
            value={words}
            onChange={(e) => setWords(e.target.value.slice(0, 4000))}
          />
        </label>
        <Chosen
          label="Planned by"
          value={profile}
          of={['', ...profiles]}
          words={{ '': 'rules, without a model' }}
          onChange={setProfile}
        />
        <button type="submit" className="btn btn-primary" disabled={busy}>
          {busy ? 'Planning…' : 'Make the page'}
        </button>
      </form>
      <form onSubmit={overFlow} aria-label="A page over a flow">
        <Chosen label="Or over a flow that is there" value={flow} of={Object.keys(document.flows)} onChange={setFlow} />
        <label className="fld">
          <span>Title</span>
          <input
            className="form-control"
            value={title}
            onChange={(e) => setTitle(e.target.value)}
            placeholder={document.flows[flow]?.title ?? ''}
          />
        </label>
        <button type="submit" className="btn btn-outline-secondary">
          Make it over this flow
        </button>
      </form>
      {Object.keys(document.knowledge ?? {}).length > 0 && <OverKnowledge />}
      <Copied />
    </div>
  );
}

/** A search page over a knowledge base. */
function OverKnowledge() {
  const { document, bot, edit } = useDraftHandle();
  const navigate = useNavigate();
  const bases = Object.keys(document.knowledge ?? {});
  const [base, setBase] = useState(bases[0] ?? '');
  const make = (event: FormEvent) => {
    event.preventDefault();
    const [profile] = Object.keys(document.models ?? {});
    const { page } = addSearchPage(document, base, profile);
    edit((d) => addSearchPage(d, base, profile).document);
    void navigate(`/bots/${bot}/pages/${page}`);
  };
  return (
    <form onSubmit={make} aria-label="A search page">
      <Chosen label="Or a search page over a knowledge base" value={base} of={bases} onChange={setBase} />
      <button type="submit" className="btn btn-outline-secondary">
        Make the search page
      </button>
    </form>
  );
}

/** Takes a page of the gallery over, with the flows behind it. */
function Copied() {
  const { bot, reload } = useDraftHandle();
  const [link, setLink] = useState('');
  const [told, setTold] = useState<string>();
  const [problem, setProblem] = useState<string>();
  const copy = async (event: FormEvent) => {
    event.preventDefault();
    setProblem(undefined);
    try {
      const token = link.trim().split('/').at(-1) ?? '';
      const made = await call('copyPage', { params: { bot }, body: { link: token } });
      const left = made.left.length === 0 ? '' : ` Not taken along: ${made.left.join('; ')}.`;
      setTold(`The page ${made.page} is here, with ${made.flows.length} flows.${left}`);
      await reload();
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  return (
    <form onSubmit={(e) => void copy(e)} aria-label="A copy of a page">
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <label className="fld">
        <span>Or a copy of one from the gallery, by its link</span>
        <input className="form-control code" value={link} onChange={(e) => setLink(e.target.value)} />
      </label>
      <button type="submit" className="btn btn-outline-secondary" disabled={link.trim() === ''}>
        Copy it
      </button>
      {told !== undefined && <p role="status">{told}</p>}
    </form>
  );
}
