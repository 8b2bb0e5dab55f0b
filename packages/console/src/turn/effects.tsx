import { WhyLine } from '../parts/PassageList.js';
import {
  isCall,
  freeId,
  idOf,
  sampleOf,
  textOf,
  type ActionCall,
  type ActionResult,
  type LookupCall,
  type McpCall,
  type ModelCall,
  type NoticeCall,
  type TableCall,
  type Performed,
  type Value,
} from '@primrose/core';
import { useState, type ReactNode } from 'react';
import { useDraftHandle } from '../draft/context.js';
import { Copy, Shown } from '../parts/Shown.js';
import { duration, scoreText } from '../parts/words.js';
import { costOf } from './costs.js';
import { WantedCalls } from './WantedCalls.js';
import { RunAlone } from './RunAlone.js';

interface PartProps<T> {
  readonly effect: T;
  readonly ms: number;
  /** The sample that answered in the place of the service. */
  readonly sample?: string | undefined;
  /** Quotes that the bot's messages cite. */
  readonly cited?: readonly string[];
  /** All calls of the turn. */
  readonly all?: readonly Performed[];
}

/** What a turn asked of the outside or of the knowledge, and what came back. */
export function EffectPart(props: PartProps<Performed>) {
  const { effect } = props;
  if (isCall('action', effect)) return <ApiCall {...props} effect={effect} />;
  if (isCall('model', effect)) return <ModelPart {...props} effect={effect} />;
  if (isCall('table', effect)) return <TablePart {...props} effect={effect} />;
  if (isCall('mcp', effect)) return <McpPart {...props} effect={effect} />;
  if (isCall('notice', effect)) return <NoticePart {...props} effect={effect} />;
  return isCall('lookup', effect) ? <LookupPart {...props} effect={effect} /> : null;
}

function ApiCall({ effect, ms, sample }: PartProps<ActionCall>) {
  const { request, result } = effect;
  const asked = Object.entries(request.query)
    .map(([key, v]) => `${key}=${v}`)
    .join('&');
  const address = result.url ?? `${request.target}${asked === '' ? '' : `?${asked}`}`;
  const headers = Object.entries(request.headers).map(([key, v]) => `${key}: ${SECRET.test(key) ? '••••••••' : v}`);
  return (
    <section className="sec" aria-label={`API call of ${request.connection}.${request.action}`}>
      <h2>
        API call{' '}
        <span className="note">
          <b className={outcomeClass(result)}>{result.outcome === 'answered' ? result.status : result.code}</b>, {duration(ms)}
          <FromSample sample={sample} />
        </span>
      </h2>
      <p className="req">
        {request.method} {address} <Copy text={address} what="the address" />
      </p>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      <div className="rr">
        <div>
          <h3>Sent</h3>
          {headers.map((h) => (
            <p key={h} className="req">
              {h}
            </p>
          ))}
          <Json value={request.body ?? (Object.keys(request.query).length > 0 ? request.query : null)} what="what was sent" />
        </div>
        <div>
          <h3>Came back</h3>
          <Json value={result.outcome === 'answered' ? result.body : null} what="what came back" />
        </div>
      </div>
      <KeepSample effect={effect} there={sample} />
    </section>
  );
}

/** Headers whose value is nobody's business, whatever a designer put there. */
const SECRET = /auth|key|token|secret|cookie/i;

function Json({ value, what }: { readonly value: Value; readonly what: string }) {
  if (value === null) return <p className="note">nothing</p>;
  return (
    <div className="json">
      <Shown value={value} what={what} />
    </div>
  );
}

function FromSample({ sample }: { readonly sample: string | undefined }) {
  return sample === undefined ? null : <>, from the sample {sample}</>;
}

/** Keeps what came back as a sample of the bot, for any such call or for just this request. */
function KeepSample({ effect, there }: { readonly effect: Performed; readonly there: string | undefined }) {
  const { document, edit } = useDraftHandle();
  const [name, setName] = useState<string>();
  const [narrow, setNarrow] = useState(true);
  const [said, setSaid] = useState('');
  const kept = sampleOf(effect, narrow);
  if (!kept || there !== undefined) return null;
  const keep = () => {
    const id = freeId(document.samples ?? {}, idOf(name ?? '') || 'sample');
    edit((d) => ({ ...d, samples: { ...d.samples, [id]: kept } }));
    setName(undefined);
    setSaid(`kept as ${id}`);
  };
  if (name === undefined)
    return (
      <p className="keeps">
        <button type="button" className="bare note" onClick={() => setName(suggested(effect))}>
          keep as sample
        </button>{' '}
        <span className="note" role="status">
          {said}
        </span>
      </p>
    );
  return (
    <form
      className="keeps"
      onSubmit={(e) => {
        e.preventDefault();
        keep();
      }}
    >
      <input
        className="form-control"
        autoFocus
        aria-label="Name of the sample"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <label className="soft">
        <input type="checkbox" checked={narrow} onChange={(e) => setNarrow(e.target.checked)} /> for just this request
      </label>
      <button type="submit" className="btn btn-outline-secondary btn-sm">
        Keep
      </button>
      <button type="button" className="bare note" onClick={() => setName(undefined)}>
        leave it
      </button>
    </form>
  );
}

function suggested(effect: Performed): string {
  if (isCall('action', effect)) return effect.request.action;
  return isCall('model', effect) ? `${effect.request.profile} wrote` : '';
}

function ModelPart({ effect, ms, sample, all = [] }: PartProps<ModelCall>) {
  const [again, setAgain] = useState<ModelCall>();
  const { document } = useDraftHandle();
  const { request, result } = effect;
  const tokens = result.outcome === 'written' ? result.tokens : null;
  const used = tokens ? `${tokens.in} in + ${tokens.out} out` : `about ${request.estimate} in`;
  const price = costOf([effect], document.models);
  return (
    <section className="sec" aria-label={`Model call of ${request.profile}`}>
      <h2>
        Model call{' '}
        <span className="note">
          {request.profile} ({request.model}), {duration(ms)}, {used}
          {price !== '' && `, ${price}`}
          <FromSample sample={sample} />
        </span>
      </h2>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      <Prompt effect={effect} />
      {result.outcome === 'written' && (
        <div className="rep">
          {result.text !== '' && <Shown value={result.text} what="what the model wrote" />}
          <WantedCalls calls={result.calls ?? []} />
          <span className="note">
            {result.stopped === 'length' && 'cut, '}
            {tokens?.out}
          </span>
        </div>
      )}
      {request.instead !== undefined && <p className="note">Asked because {request.instead} gave no answer.</p>}
      {(request.trimmed ?? []).map((t, i) => (
        <p key={i} className="note">
          Left out, as the context is full: {t.what}, about {t.tokens} tokens.
        </p>
      ))}
      <RunAlone effect={effect} all={all} onCame={setAgain} />
      <KeepSample key={again === undefined ? 'came' : 'again'} effect={again ?? effect} there={again ? undefined : sample} />
    </section>
  );
}

/** The parts of a prompt: a bar by tokens, then each with its text. Records of older versions have whole messages only. */
function Prompt({ effect: { request, result } }: { readonly effect: ModelCall }) {
  const parts =
    request.parts ?? request.messages.map((m, i) => ({ part: m.role, message: i, from: 0, to: m.content.length, tokens: 0 }));
  const out = result.outcome === 'written' ? (result.tokens?.out ?? 0) : 0;
  return (
    <>
      <div className="stack" role="img" aria-label="Parts of the prompt by tokens, and the answer">
        {parts.map((p, i) => (
          <i key={i} style={{ flex: Math.max(1, p.tokens) }} />
        ))}
        {out > 0 && <i className="wrote" style={{ flex: out }} />}
      </div>
      <div className="ps">
        {parts.map((p, i) => {
          const text = request.messages[p.message]?.content.slice(p.from, p.to) ?? '';
          const words = text.replace(/^# .*\n/, '');
          return (
            <PartRow key={i} name={p.part} tokens={p.tokens}>
              <details>
                <summary dir="auto">{words.slice(0, 90)}</summary>
                <span className="whole" dir="auto">
                  {words}
                </span>
                <Copy text={words} what={`the part ${p.part}`} />
              </details>
            </PartRow>
          );
        })}
      </div>
    </>
  );
}

function PartRow({ name, tokens, children }: { readonly name: string; readonly tokens: number; readonly children: ReactNode }) {
  return (
    <>
      <span>{name}</span>
      <span className="tx">{children}</span>
      <span className="n">{tokens > 0 && tokens}</span>
    </>
  );
}

function LookupPart({ effect: { request, result }, cited = [] }: PartProps<LookupCall>) {
  return (
    <section className="sec" aria-label={`Knowledge of ${request.base}`}>
      <h2>
        Knowledge{' '}
        <span className="note" dir="auto">
          asked {[request.base, ...(request.also ?? [])].join(', ')} for “{result.asked ?? request.question}”
        </span>
      </h2>
      {result.passages.map((p) => (
        <div className="psg" key={p.number}>
          <b>{p.score.toFixed(2)}</b>
          <div>
            <q dir="auto">{p.quote}</q>
            <span className="note">
              {p.title}
              {p.heading && ` › ${p.heading}`}
              {cited.includes(p.quote) && <span className="cited">cited as {p.number}</span>}
            </span>
            {p.why && <WhyLine why={p.why} also={p.also?.length ?? 0} />}
          </div>
        </div>
      ))}
      {result.passages.length === 0 && <p className="note">No passage is like it.</p>}
      <p className={result.covered ? 'note' : 'plum'}>
        {result.covered ? 'Covered' : 'Not covered'}
        {result.chance !== undefined && ` with a chance of ${scoreText(result.chance)}`}: {scoreText(result.share)} of the
        question’s weight stands there
        {result.missing.length > 0 && `; nowhere: ${result.missing.join(', ')}`}
      </p>
    </section>
  );
}

const TABLE_WORDS: Readonly<Record<TableCall['request']['does'], string>> = {
  find: 'looked in',
  add: 'added to',
  change: 'changed in',
  put: 'added or changed in',
  remove: 'removed from',
};

/** What a turn did to the rows of a table: what it asked for, what it was to hold, and the rows as they are now. */
function TablePart({ effect: { request, result }, ms }: PartProps<TableCall>) {
  const set = { ...request.fresh, ...request.values };
  const rows = 'rows' in result ? result.rows : [];
  return (
    <section className="sec" aria-label={`Table ${request.table}`}>
      <h2>
        Table{' '}
        <span className="note">
          {TABLE_WORDS[request.does]} {request.table}, {duration(ms)}
        </span>
      </h2>
      {request.where.map((c, i) => (
        <p key={i} className="req" dir="auto">
          {c.column} {c.relation} {textOf(c.value)}
        </p>
      ))}
      {request.row && <p className="req">just the row {request.row.id}</p>}
      {'reason' in result && <p className="plum">{result.reason}</p>}
      <div className="rr">
        <div>
          <h3>To hold</h3>
          <Json value={Object.keys(set).length > 0 ? set : null} what="what the row is to hold" />
        </div>
        <div>
          <h3>{result.outcome === 'rows' ? 'Found' : 'Rows now'}</h3>
          {rows.map((r) => (
            <Json key={r.id} value={r.values} what={`the row ${r.id}`} />
          ))}
          {rows.length === 0 && <p className="note">no row</p>}
          {result.outcome === 'rows' && result.more && <p className="note">and more</p>}
        </div>
      </div>
    </section>
  );
}

/** A call of a tool of an MCP server. */
function McpPart({ effect, ms, sample }: PartProps<McpCall>) {
  const { request, result } = effect;
  return (
    <section className="sec" aria-label={`Tool ${request.tool} of ${request.connection}`}>
      <h2>
        Tool{' '}
        <span className="note">
          {request.tool} of {request.connection}, {duration(ms)}
          <FromSample sample={sample} />
        </span>
      </h2>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      {result.outcome === 'gave' && result.wrong && <p className="plum">The tool says of itself that it failed.</p>}
      <div className="rr">
        <div>
          <h3>Given</h3>
          <Json value={request.given} what="what it was given" />
        </div>
        <div>
          <h3>Came back</h3>
          <Json value={result.outcome === 'gave' ? result.content : null} what="what came back" />
        </div>
      </div>
      <KeepSample effect={effect} there={sample} />
    </section>
  );
}

/** A notice that a turn sent, or would have sent. */
function NoticePart({ effect: { request, result } }: PartProps<NoticeCall>) {
  return (
    <section className="sec" aria-label={`Notice to ${request.to}`}>
      <h2>
        Notice{' '}
        <span className="note">
          to {request.to}
          {request.on !== '' && ` on ${request.on}`}
          {result.outcome === 'queued' && (result.notice === 'simulated' ? ', not sent from a simulation' : ', on its way')}
        </span>
      </h2>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      <blockquote className="rep" dir="auto">
        <Shown value={request.text} what="the notice" />
      </blockquote>
      {request.links.map((l, i) => (
        <p key={i} className="req">
          {l.says}: {l.opens}
        </p>
      ))}
    </section>
  );
}

function outcomeClass(result: ActionResult): string {
  return result.outcome === 'answered' && result.status < 400 ? 'b' : 'plum';
}
