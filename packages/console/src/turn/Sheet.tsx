import type { TurnRecord } from '@primrose/contract';
import {
  spokenEvent,
  wordsIn,
  compareTurns,
  differenceKind,
  missSentence,
  problemSentence,
  textOf,
  type Miss,
  type TurnSheet,
  type Value,
} from '@primrose/core';
import type { ReactNode } from 'react';
import { Link, useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { Markdown } from '../parts/Markdown.js';
import { SentPictures } from '../parts/SentPictures.js';
import { Shown } from '../parts/Shown.js';
import { duration, plainName, timeOfDay } from '../parts/words.js';
import { costOf, tokensOf, withKeptEvent } from './costs.js';
import { EffectPart } from './effects.js';
import { KeptInMind } from './KeptInMind.js';
import { Path } from './Path.js';
import { Contexts, TakenAs, Understood } from './Understood.js';

interface SheetProps {
  readonly turn: TurnRecord;
  /** Pages of the turns before and after it; undefined where there is none. */
  readonly earlier: string | undefined;
  readonly later: string | undefined;
  readonly back: string;
  /** The turn that it repeats: how they differ is shown first. */
  readonly repeats?: TurnRecord | undefined;
  /** What a rehearsal expected of it and did not get. */
  readonly misses?: readonly Miss[];
  /** Buttons for what can be done with the conversation. */
  readonly actions?: ReactNode;
}

/** The turn sheet: everything that explains one turn. */
export function Sheet(props: SheetProps) {
  const { turn, repeats, misses = [] } = props;
  const { sheet } = turn;
  return (
    <main className="sheet" aria-label="Turn sheet" tabIndex={-1}>
      <Head {...props} />
      <div className="two">
        <div>
          <Plum title="Not as expected" loud>
            {misses.map(missSentence)}
          </Plum>
          {repeats && <Otherwise turn={turn} repeats={repeats} />}
          <HeardPart sheet={sheet} />
          <TakenAs sheet={sheet} />
          <Understood sheet={sheet} />
          <Contexts sheet={sheet} />
          <Plum title="Problems met">
            {sheet.problems.map((p) => (
              <>
                {problemSentence(p)} <span className="note">{p.node}</span>
              </>
            ))}
          </Plum>
          <Path turn={turn} />
          <Changes sheet={sheet} />
          <KeptInMind sheet={sheet} />
          <Held sheet={sheet} />
        </div>
        <div>
          <Said messages={sheet.messages} />
          {sheet.effects.map((effect, i) => (
            <EffectPart
              key={i}
              effect={effect}
              ms={timeOf(turn, effect.request.path)}
              sample={turn.samples[effect.request.path]}
              all={sheet.effects}
              cited={sheet.messages.flatMap((m) => m.cites ?? []).map((c) => c.quote)}
            />
          ))}
        </div>
      </div>
    </main>
  );
}

/** Which turn it is, what it took, and the ways to others. */
function Head({ turn, earlier, later, back, actions }: SheetProps) {
  const navigate = useNavigate();
  const { sheet } = turn;
  const version = turn.release === null ? `draft at revision ${turn.revision}` : `Release ${turn.release}`;
  const step = (label: string, sign: string, to: string | undefined) => (
    <button
      className="bare"
      type="button"
      aria-label={label}
      disabled={to === undefined}
      onClick={() => void (to !== undefined && navigate(to))}
    >
      {sign}
    </button>
  );
  return (
    <header>
      <h1>Turn {turn.number}</h1>
      <span className="note">
        {timeOfDay(sheet.heard.at, true)}, {spokenEvent(sheet.heard)?.channel ?? sheet.heard.type}, {version}
      </span>
      <Figures turn={turn} />
      <span className="spring" />
      {actions}
      {step('Earlier turn', '‹', earlier)}
      {step('Later turn', '›', later)}
      <Link className="bare" to={back} aria-label="Close the turn sheet">
        <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
          <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="1.4" />
        </svg>
      </Link>
    </header>
  );
}

/** Time, tokens and price. */
function Figures({ turn }: { readonly turn: TurnRecord }) {
  const { document } = useDraftHandle();
  const tokens = tokensOf(turn.sheet.effects);
  const cost = costOf(turn.sheet.effects, document.models);
  return (
    <span className="soft figures">
      <b>{duration(turn.ms)}</b>
      {tokens > 0 && (
        <>
          {' '}
          <b>{tokens}</b> tokens
        </>
      )}
      {cost !== '' && <b> {cost}</b>}
    </span>
  );
}

/** What was not as it should be, a line each; nothing where all was. */
function Plum({
  title,
  loud,
  children,
}: {
  readonly title: string;
  readonly loud?: true;
  readonly children: readonly ReactNode[];
}) {
  if (children.length === 0) return null;
  return (
    <section className="sec">
      <h2 className={loud && 'plum'}>{title}</h2>
      {children.map((line, i) => (
        <p key={i} className="plum">
          {line}
        </p>
      ))}
    </section>
  );
}

function HeardPart({ sheet }: { readonly sheet: TurnSheet }) {
  const { edit } = useDraftHandle();
  const keep = () => edit((d) => withKeptEvent(d, sheet, (wordsIn(sheet.heard) || 'event').split(/\s+/).slice(0, 4).join(' ')));
  return (
    <section className="sec">
      <h2>
        Heard{' '}
        {sheet.heard.type === 'message' && (
          <button type="button" className="bare note" onClick={keep}>
            keep as event
          </button>
        )}
      </h2>
      <Heard sheet={sheet} />
      {sheet.heard.type === 'message' && <SentPictures pictures={sheet.heard.pictures ?? []} />}
      {sheet.handed && <p className="note">Handed over to staff: {sheet.handed.reason}</p>}
      {sheet.stopped && <p className="note">Stopped before it was done. This is how far it came.</p>}
    </section>
  );
}

function Said({ messages }: Pick<TurnSheet, 'messages'>) {
  return (
    <section className="sec saidlist">
      <h2>
        Said <span className="note">{messages.length === 1 ? '1 message' : `${messages.length} messages`}</span>
      </h2>
      {messages.map((m, i) => (
        <div key={i} dir="auto">
          <Markdown blocks={m.blocks} />
          {m.choices && <p className="note">{m.choices.map((c) => c.says).join(' · ')}</p>}
          {m.cites && (
            <p className="note">{m.cites.map((c) => `[${c.number}] ${c.title}${c.heading && ` › ${c.heading}`}`).join(' · ')}</p>
          )}
        </div>
      ))}
    </section>
  );
}

/** What came in: a visitor's words with the values that were found in them set as glosses. */
function Heard({ sheet: { heard, understood } }: { readonly sheet: TurnSheet }) {
  if (heard.type === 'open') return <p className="heard">The conversation was opened.</p>;
  if (heard.type === 'hand-back') return <p className="heard">Staff handed the conversation back.</p>;
  if (heard.type === 'signed-in') return <p className="heard">{heard.name ?? heard.email ?? 'The visitor'} signed in.</p>;
  if (heard.type === 'start')
    return (
      <p className="heard">
        Started at {heard.start.flow}/{heard.start.node}.
      </p>
    );
  if (heard.type === 'go-on') return <p className="heard">Nobody said anything: the bot went on.</p>;
  if (heard.type === 'fired') return <p className="heard">Begun by a {heard.by}.</p>;
  const text = heard.text ?? (heard.choice === undefined ? '' : `the button ${heard.choice}`);
  const parts: ReactNode[] = [];
  let from = 0;
  for (const v of [...(understood?.values ?? [])].sort((a, b) => a.from - b.from)) {
    if (v.from < from || heard.text === undefined) continue;
    parts.push(text.slice(from, v.from));
    parts.push(
      <span className="gl" key={v.from}>
        <span>{text.slice(v.from, v.to)}</span>
        <i>
          {plainName(v.entity)} = {textOf(v.value)}
        </i>
      </span>,
    );
    from = v.to;
  }
  const files = [...(heard.files ?? []).map((f) => f.name), ...(heard.pictures ?? []).map(() => 'a picture')];
  return (
    <>
      <p className="heard" dir="auto">
        {parts}
        {text.slice(from)}
      </p>
      {(heard.name !== undefined || files.length > 0) && (
        <p className="note">
          {heard.name}
          {files.length > 0 && ` with ${files.join(', ')}`}
        </p>
      )}
    </>
  );
}

/** How long the node took that made a call. */
function timeOf({ sheet, timings }: TurnRecord, path: string): number {
  const timing = timings[sheet.path.findIndex((s) => s.effects.includes(path))];
  return timing?.calls?.[path]?.ms ?? timing?.ms ?? 0;
}

/** What differs from the turn that this one repeats, before and after side by side. */
function Otherwise({ turn, repeats }: { readonly turn: TurnRecord; readonly repeats: TurnRecord }) {
  const found = compareTurns(repeats.sheet, turn.sheet);
  return (
    <section className="sec" aria-label="Said again">
      <h2>
        Said again{' '}
        <span className="note">
          revision {repeats.revision} before, {turn.revision} now
        </span>
      </h2>
      {found.length === 0 && <p className="soft">It answers as before.</p>}
      {found.length > 0 && (
        <table className="t sides">
          <thead>
            <tr>
              <th>
                <span className="visually-hidden">what</span>
              </th>
              <th>before</th>
              <th>now</th>
            </tr>
          </thead>
          <tbody>
            {found.map((d, i) => (
              <tr key={i}>
                <td>{differenceKind(d)}</td>
                <td>
                  <Shown value={lines(d.before)} what={`${differenceKind(d)} before`} />
                </td>
                <td>
                  <span className="new">
                    <Shown value={lines(d.after)} what={`${differenceKind(d)} now`} />
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** Lists of words read better as lines. */
function lines(value: Value): Value {
  const words = Array.isArray(value) && value.every((v) => typeof v === 'string');
  return words ? value.join('\n') || null : value;
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
              <td className="note">
                <Shown value={c.before} what={`${c.name} before`} />
              </td>
              <td>
                <span className="new">
                  <Shown value={c.after} what={c.name} />
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Everything that variables hold after the turn, folded. */
function Held({ sheet: { variables } }: { readonly sheet: TurnSheet }) {
  const held = Object.entries(variables ?? {}).flatMap(([scope, values]) =>
    Object.entries(values as Record<string, Value>).map(([name, v]) => [`${scope}.${name}`, v] as const),
  );
  if (held.length === 0) return null;
  return (
    <section className="sec">
      <details>
        <summary>
          All variables after the turn <span className="note">{held.length}</span>
        </summary>
        <table className="t">
          <tbody>
            {held.map(([name, v]) => (
              <tr key={name}>
                <td>{name}</td>
                <td>
                  <Shown value={v} what={name} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}
