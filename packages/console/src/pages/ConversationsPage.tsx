import type { ChatLine, Conversation, TurnRecord } from '@primrose/contract';
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import { errorText, invalidate, useCall, useTurns } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { FeedbackFigures } from '../parts/FeedbackFigures.js';
import { ScriptLine } from '../parts/ScriptLine.js';
import { timeOfDay } from '../parts/words.js';
import { Strip } from '../turn/Strip.js';
import { Alarm } from '../parts/Alarm.js';
import { ConversationTabs } from '../parts/Tabs.js';
import { AsideLine } from './KeepingPage.js';

const REFRESH_MS = 2500;
const FILTERS = [
  ['all', 'All'],
  ['handed', 'Handed over'],
  ['unhelpful', 'Not helpful'],
] as const;
const NONE = {
  all: 'Nobody has talked to this bot yet.',
  handed: 'Nobody waits for a person.',
  unhelpful: 'Nobody has found an answer unhelpful.',
} as const;

/** Conversations with visitors: a list, and one of them as a play script with its turn sheets. */
export default function ConversationsPage() {
  const { bot } = useDraftHandle();
  const { conversation } = useParams();
  const [state, setState] = useState<'all' | 'handed' | 'unhelpful'>('all');
  const [pages, setPages] = useState(1);
  const limit = Math.min(200, pages * 50);
  const list = useCall('listConversations', {
    params: { bot },
    query: { limit, state },
  });
  useEffect(() => {
    const timer = setInterval(() => invalidate('listConversations', 'getConversation', 'listTurns'), REFRESH_MS);
    return () => clearInterval(timer);
  }, []);
  const handed = list.data?.handed ?? 0;
  return (
    <div className="talks">
      <aside className="list" aria-label="Which conversation">
        <ConversationTabs />
        <div className="filters">
          {FILTERS.map(([id, label]) => (
            <button
              key={id}
              className="btn btn-outline-secondary btn-sm"
              type="button"
              aria-pressed={state === id}
              onClick={() => setState(id)}
            >
              {label} {id === 'handed' && <b>{handed}</b>}
            </button>
          ))}
        </div>
        {list.error && <Alarm>{errorText(list.error)}</Alarm>}
        {list.data?.items.length === 0 && (
          <p className="empty" style={{ padding: '24px 16px' }}>
            {NONE[state]}
          </p>
        )}
        <nav aria-label="Conversations">
          {list.data?.items.map((c) => (
            <Row key={c.id} conversation={c} current={c.id === conversation} />
          ))}
        </nav>
        {(list.data?.next ?? null) !== null && limit < 200 && (
          <button className="bare note" type="button" onClick={() => setPages(pages + 1)}>
            more
          </button>
        )}
      </aside>
      <main>
        {conversation === undefined ? (
          <div className="empty" style={{ padding: 32 }}>
            <p>Choose a conversation to read it.</p>
            <FeedbackFigures bot={bot} />
          </div>
        ) : (
          <Talk key={conversation} id={conversation} />
        )}
      </main>
    </div>
  );
}

const turnsText = (n: number): string => (n === 1 ? '1 turn' : `${n} turns`);

function Row({ conversation: c, current }: { readonly conversation: Conversation; readonly current: boolean }) {
  const { bot } = useDraftHandle();
  return (
    <Link to={`/bots/${bot}/conversations/${c.id}`} aria-current={current ? 'page' : undefined}>
      <span className="note">{timeOfDay(c.lastAt)}</span>
      <span className="said" dir="auto">
        {c.said ?? 'nothing said yet'}
      </span>
      <span />
      <span className="meta">
        {c.channel.name}, {turnsText(c.turns)}
        {c.visitor !== null && `, ${c.visitor}`} {c.handed && <b className="o">handed over</b>}
        {c.feedback.unhelpful > 0 && <b className="plum">{c.feedback.unhelpful} not helpful</b>}
      </span>
    </Link>
  );
}

function Talk({ id }: { readonly id: string }) {
  const { bot } = useDraftHandle();
  const params = { bot, conversation: id };
  const talk = useCall('getConversation', { params });
  const turns = useTurns(bot, id);
  if (talk.error) return <Alarm>{errorText(talk.error)}</Alarm>;
  if (!talk.data) return null;
  const { conversation: c, lines, aside, feedback } = talk.data;
  return (
    <article className="talk" aria-label="The conversation">
      <header>
        <h2 dir="auto">{c.said === null ? 'Nothing said yet' : `“${c.said}”`}</h2>
        <p>
          <span>{c.visitor ?? 'A visitor'}</span>
          <span>{c.channel.name}</span>
          <span>
            {timeOfDay(c.openedAt)} to {timeOfDay(c.lastAt)}
          </span>
          <span>{turnsText(c.turns)}</span>
          <span>{c.release === null ? 'draft' : `Release ${c.release}`}</span>
        </p>
      </header>
      {aside.map((a) => (
        <AsideLine key={a.event} aside={a} />
      ))}
      <Script lines={lines.items} turns={turns.data ?? []} id={id} thoughts={feedback} />
      <Thought of={feedback.find((t) => t.line === 0)} whole />
      {c.handed && (
        <p className="handed">
          Staff answer here: <Link to={`/bots/${bot}/inbox/${c.id}`}>open it in the inbox</Link>.
        </p>
      )}
    </article>
  );
}

interface ScriptProps {
  readonly lines: readonly ChatLine[];
  readonly turns: readonly TurnRecord[];
  readonly id: string;
  readonly thoughts: readonly ThoughtOf[];
}

/** The lines in order; under the lines that a turn said stands its strip. */
function Script({ lines, turns, id, thoughts }: ScriptProps) {
  const { bot } = useDraftHandle();
  // A turn's lines are as many as its messages, in the order of the turns; what staff and visitors say stands between.
  const rows: ({ line: ChatLine } | { turn: TurnRecord })[] = [];
  let left = [...turns];
  let said = 0;
  const closeTurns = (): void => {
    const [turn, ...rest] = left;
    if (!turn || said < turn.sheet.messages.length) return;
    rows.push({ turn });
    left = rest;
    said = 0;
    if (rest[0]?.sheet.messages.length === 0 && rest[0].sheet.heard.type !== 'message') closeTurns();
  };
  for (const line of lines) {
    rows.push({ line });
    if (line.who === 'bot') said++;
    if (line.who === 'bot' || (line.who === 'visitor' && left[0]?.sheet.messages.length === 0)) closeTurns();
  }
  rows.push(...left.map((turn) => ({ turn })));
  return (
    <div className="script">
      {rows.map((row, i) =>
        'line' in row ? (
          <ScriptLine key={i} line={row.line}>
            <Thought of={thoughts.find((t) => t.line === row.line.seq)} />
          </ScriptLine>
        ) : (
          <div key={i}>
            <Strip turn={row.turn} shown={false} to={`/bots/${bot}/conversations/${id}/turns/${row.turn.number}`} />
            {row.turn.sheet.handed && row.turn.sheet.path.length > 0 && (
              <p className="handed">handed over: {row.turn.sheet.handed.reason}</p>
            )}
            {row.turn.sheet.heard.type === 'hand-back' && <p className="handed">handed back</p>}
          </div>
        ),
      )}
    </div>
  );
}

type ThoughtOf = { readonly line: number; readonly helpful: boolean; readonly words: string | null };

/** What the visitor thought of a line, or of the whole. */
function Thought({ of, whole = false }: { readonly of: ThoughtOf | undefined; readonly whole?: boolean }) {
  if (!of) return null;
  const said = of.helpful ? 'helped' : 'did not help';
  return (
    <p className={`thought ${of.helpful ? '' : 'plum'}`} dir="auto">
      {whole ? `The visitor says that the conversation ${said}` : `The visitor: this ${said}`}
      {of.words !== null && `, “${of.words}”`}
    </p>
  );
}
