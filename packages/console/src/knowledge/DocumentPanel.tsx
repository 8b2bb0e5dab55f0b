import type { KnowledgeDocument } from '@primrose/core';
import { useState, type ChangeEvent } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { useDocumentStates } from './DocumentList.js';
import { placeText } from './place.js';
import { SplittingForm } from './SplittingForm.js';
import { ACCEPTED, putDocument, type useUploads } from './uploading.js';

interface PanelProps {
  readonly base: string;
  readonly id: string;
  readonly add: ReturnType<typeof useUploads>['add'];
}

/** One document: what is known of it, how it is split, and its passages. */
export function DocumentPanel({ base, id, add }: PanelProps) {
  const { document, bot, edit } = useDraftHandle();
  const navigate = useNavigate();
  const states = useDocumentStates(base);
  const own = document.knowledge?.[base]?.documents[id];
  const at = states.get(id);
  if (!own) return <p className="note">There is no such document any more.</p>;
  const change = (changes: Partial<KnowledgeDocument>) =>
    edit((d) => {
      const now = d.knowledge?.[base]?.documents[id];
      if (!now) return d;
      const entries = Object.entries({ ...now, ...changes }).filter(([, v]) => v !== undefined && v !== '');
      return putDocument(d, base, id, Object.fromEntries(entries) as KnowledgeDocument);
    });
  const remove = () => {
    edit((d) => putDocument(d, base, id, undefined));
    void navigate(`/bots/${bot}/knowledge/${base}`);
  };
  return (
    <section aria-label={own.title ?? id}>
      <p className="note">
        <Link to={`/bots/${bot}/knowledge/${base}`}>{base.replaceAll('-', ' ')}</Link> ›
      </p>
      <input
        className="form-control plain title"
        aria-label="Title"
        dir="auto"
        value={own.title ?? ''}
        placeholder={id}
        onChange={(e) => change({ title: e.target.value })}
      />
      <p className="facts">
        <span className="note">
          {own.form}
          {typeof at?.pages === 'number' && `, ${at.pages} pages`}
          {typeof at?.passages === 'number' && `, ${at.passages} ${at.passages === 1 ? 'passage' : 'passages'}`}
        </span>
        <label className="btn btn-outline-secondary btn-sm">
          Replace
          <input
            className="visually-hidden"
            type="file"
            accept={ACCEPTED}
            onChange={(e: ChangeEvent<HTMLInputElement>) => {
              void add([...(e.target.files ?? [])], id);
              e.target.value = '';
            }}
          />
        </label>
        <Button
          size="sm"
          variant="outline-secondary"
          aria-pressed={own.off === true}
          onClick={() => change({ off: own.off ? undefined : true })}
        >
          {own.off ? 'Use it again' : 'Take out of use'}
        </Button>
        <button className="bare note" type="button" onClick={remove}>
          remove {own.title ?? id}
        </button>
      </p>
      {at?.state === 'failed' && <Failed base={base} id={id} problem={at.problem ?? ''} />}
      {at?.note && <p className="note">{at.note}</p>}
      {own.address !== undefined && (
        <p className="note">
          Fetched from <span className="mono">{own.address}</span>
        </p>
      )}
      <Validity own={own} change={change} />
      <SplittingForm base={base} id={id} />
      <Passages base={base} id={id} ready={at?.state === 'ready'} version={`${at?.hash ?? ''} ${at?.passages ?? ''}`} />
    </section>
  );
}

function Failed({ base, id, problem }: { readonly base: string; readonly id: string; readonly problem: string }) {
  const { bot } = useDraftHandle();
  const [wrong, setWrong] = useState<string>();
  const again = () =>
    call('readDocumentAgain', { params: { bot, knowledge: base, document: id } })
      .then(() => invalidate('listDocuments'))
      .catch((error: unknown) => setWrong(errorText(error)));
  return (
    <Alarm>
      It cannot be read: {problem}. {wrong}{' '}
      <button className="bare" type="button" onClick={() => void again()}>
        Try again
      </button>
    </Alarm>
  );
}

function Validity({
  own,
  change,
}: {
  readonly own: KnowledgeDocument;
  readonly change: (c: Partial<KnowledgeDocument>) => void;
}) {
  return (
    <div className="facts">
      <label className="note">
        Language{' '}
        <input
          className="form-control plain short"
          placeholder="by its words"
          defaultValue={own.language ?? ''}
          onBlur={(e) =>
            /^([a-z]{2,3}(-[A-Za-z0-9]+)*)?$/.test(e.target.value) && change({ language: e.target.value || undefined })
          }
        />
      </label>
      <label className="note">
        Labels{' '}
        <input
          className="form-control plain"
          placeholder="none"
          defaultValue={(own.labels ?? []).join(', ')}
          onBlur={(e) => {
            const labels = e.target.value
              .split(',')
              .map((l) => l.trim())
              .filter(Boolean);
            change({ labels: labels.length > 0 ? labels.slice(0, 20) : undefined });
          }}
        />
      </label>
      <label className="note">
        Holds from{' '}
        <input
          type="date"
          className="form-control plain"
          value={own.from ?? ''}
          onChange={(e) => change({ from: e.target.value || undefined })}
        />
      </label>
      <label className="note">
        until{' '}
        <input
          type="date"
          className="form-control plain"
          value={own.until ?? ''}
          onChange={(e) => change({ until: e.target.value || undefined })}
        />
      </label>
    </div>
  );
}

const SHOWN = 50;

/** The passages of a document, as they are ranked and cited. */
function Passages({
  base,
  id,
  ready,
  version,
}: {
  readonly base: string;
  readonly id: string;
  readonly ready: boolean;
  readonly version: string;
}) {
  const { bot } = useDraftHandle();
  const [from, setFrom] = useState(0);
  const input = { params: { bot, knowledge: base, document: id }, query: { after: String(from), limit: SHOWN } };
  const { data } = useCall('listPassages', input, ready, { key: version });
  if (!data) return null;
  return (
    <>
      <ol className="passages" start={from + 1}>
        {data.items.map((p) => (
          <li key={p.place}>
            <span className="note">{placeText(p)}</span>
            <p dir="auto">{p.text}</p>
          </li>
        ))}
      </ol>
      <p className="facts">
        {from > 0 && (
          <Button size="sm" variant="outline-secondary" onClick={() => setFrom(Math.max(0, from - SHOWN))}>
            Those before
          </Button>
        )}
        {data.next !== null && (
          <Button size="sm" variant="outline-secondary" onClick={() => setFrom(Number(data.next))}>
            The next ones
          </Button>
        )}
      </p>
    </>
  );
}
