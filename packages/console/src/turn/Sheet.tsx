import type { TurnRecord } from '@primrose/contract';
import { nodeKinds, problemSentence, type ResolvedValue, type TurnSheet, type Value } from '@primrose/core';
import { Link, useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { Markdown } from '../parts/Markdown.js';
import { Petal } from '../parts/Petal.js';
import { Prose } from '../parts/Prose.js';
import { duration, timeOfDay } from '../parts/words.js';
import { EffectPart } from './effects.js';
import { Understood } from './Understood.js';

interface SheetProps {
  readonly turn: TurnRecord;
  /** How many turns the conversation has. */
  readonly count: number;
  /** The page of another turn. */
  readonly at: (number: number) => string;
  readonly back: string;
}

/** The turn sheet: everything that explains one turn. */
export function Sheet({ turn, count, at, back }: SheetProps) {
  const navigate = useNavigate();
  const { sheet } = turn;
  const go = (n: number) => void navigate(at(n));
  const version = turn.release === null ? `draft at revision ${turn.revision}` : `Release ${turn.release}`;
  return (
    <main className="sheet" aria-label="Turn sheet">
      <header>
        <h1>Turn {turn.number}</h1>
        <span className="note">
          {timeOfDay(turn.at, true)}, {sheet.heard.channel}, {version}
        </span>
        <span className="soft">
          <b>{duration(turn.ms)}</b>
        </span>
        <span className="spring" />
        <button
          className="bare"
          type="button"
          aria-label="Earlier turn"
          disabled={turn.number <= 1}
          onClick={() => go(turn.number - 1)}
        >
          ‹
        </button>
        <button
          className="bare"
          type="button"
          aria-label="Later turn"
          disabled={turn.number >= count}
          onClick={() => go(turn.number + 1)}
        >
          ›
        </button>
        <Link className="bare" to={back} aria-label="Close the turn sheet">
          <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
            <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="1.4" />
          </svg>
        </Link>
      </header>
      <div className="two">
        <div>
          <section className="sec">
            <h2>Heard</h2>
            <p className="heard" dir="auto">
              {heardWords(sheet)}
            </p>
            {sheet.handed && <p className="note">Handed over to staff: {sheet.handed.reason}</p>}
          </section>
          <Understood sheet={sheet} />
          {sheet.problems.length > 0 && (
            <section className="sec">
              <h2>Problems met</h2>
              {sheet.problems.map((p, i) => (
                <p key={i} className="plum">
                  {problemSentence(p)} <span className="note">{p.node}</span>
                </p>
              ))}
            </section>
          )}
          <Path turn={turn} />
          <Changes sheet={sheet} />
        </div>
        <div>
          <section className="sec saidlist">
            <h2>
              Said <span className="note">{sheet.messages.length === 1 ? '1 message' : `${sheet.messages.length} messages`}</span>
            </h2>
            {sheet.messages.map((m, i) => (
              <div key={i} dir="auto">
                <Markdown blocks={m.blocks} />
                {m.choices && <p className="note">{m.choices.map((c) => c.says).join(' · ')}</p>}
                {m.cites && (
                  <p className="note">
                    {m.cites.map((c) => `[${c.number}] ${c.title}${c.heading && ` › ${c.heading}`}`).join(' · ')}
                  </p>
                )}
              </div>
            ))}
          </section>
          {sheet.effects.map((effect, i) => (
            <EffectPart key={i} effect={effect} ms={timeOf(turn, effect.request.path)} />
          ))}
        </div>
      </div>
    </main>
  );
}

function heardWords({ heard }: TurnSheet): string {
  if (heard.type === 'open') return 'The conversation was opened.';
  if (heard.type === 'hand-back') return 'Staff handed the conversation back.';
  return heard.text ?? (heard.choice === undefined ? 'a picture' : `the button ${heard.choice}`);
}

/** How a node was left that has no exit: it called a flow, or ended something. */
function wayOut(kind: string, note: string): string {
  if (kind !== 'end') return `, ${note}`;
  return note === 'failed' ? ', ends the flow as failed' : `, ends the ${note}`;
}

function timeOf(turn: TurnRecord, path: string): number {
  return turn.timings[turn.sheet.path.findIndex((s) => s.effects.includes(path))]?.ms ?? 0;
}

function Path({ turn }: { readonly turn: TurnRecord }) {
  const { document, bot } = useDraftHandle();
  const { sheet, timings, ms } = turn;
  const language = document.languages[0] ?? 'en';
  return (
    <section className="sec">
      <h2>
        Path <span className="note">{duration(ms)}</span>
      </h2>
      <div className="fall">
        {sheet.path.map((step, i) => {
          const node = document.flows[step.flow]?.nodes[step.node];
          const kind = nodeKinds.get(step.kind);
          const prose = node && kind?.kind === node.kind ? kind.prose(node, language) : { text: step.node };
          const timing = timings[i] ?? { begins: 0, ms: 0 };
          const share = (t: number) => `${Math.min(100, (100 * t) / Math.max(ms, 1)).toFixed(2)}%`;
          return (
            <div key={i} style={{ display: 'contents' }}>
              <span>
                <Petal size={20} mark={i + 1} />
              </span>
              <span className="pr">
                <Link to={`/bots/${bot}/map/${step.flow}/${step.node}`} title={step.node}>
                  <Prose {...prose} />
                </Link>
              </span>
              <span className={`tr ${kind?.band ?? 'bot'}`}>
                <i style={{ insetInlineStart: share(timing.begins), width: share(timing.ms) }} />
              </span>
              <span className="ms">{duration(timing.ms)}</span>
              <div className="valuerows">
                <span className="note">
                  {step.branch !== undefined && <>branch {step.branch}: </>}
                  {step.kind} {step.node}
                  {step.exit === undefined
                    ? step.note === undefined
                      ? ', waits'
                      : wayOut(step.kind, step.note)
                    : `, left by ${step.exit}${step.note === undefined ? '' : ` (${step.note})`}`}
                </span>
                {step.values.filter(isOwnField).map((v, j) => (
                  <div key={j}>
                    {short(v.source)} = {show(v.value)}
                  </div>
                ))}
              </div>
            </div>
          );
        })}
      </div>
    </section>
  );
}

/** Fields of the node itself; what an action makes of its inputs stands with its call. */
function isOwnField(v: ResolvedValue): boolean {
  return v.field.startsWith('/') && v.field !== '/shows';
}

function short(source: string): string {
  return cutTo(source, 60);
}

/** A value as the sheet shows it; long ones are cut. */
function show(value: Value): string {
  if (value === null) return 'empty';
  if (Array.isArray(value) && value.length > 0)
    return `${value.length} ${value.length === 1 ? 'item' : 'items'}: ${cutTo(JSON.stringify(value), 90)}`;
  return cutTo(typeof value === 'string' ? `“${value}”` : JSON.stringify(value), 200);
}

function cutTo(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

function Changes({ sheet }: { readonly sheet: TurnSheet }) {
  if (sheet.changes.length === 0) return null;
  return (
    <section className="sec">
      <h2>Changed</h2>
      <table className="t">
        <thead className="visually-hidden">
          <tr>
            <th>variable</th>
            <th>before</th>
            <th>after</th>
          </tr>
        </thead>
        <tbody>
          {sheet.changes.map((c) => (
            <tr key={c.name}>
              <td>{c.name}</td>
              <td className="note">{show(c.before)}</td>
              <td>
                <span className="new">{show(c.after)}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
