import type { ConversationNote, InboxItem, InboxTalk as Talk, StaffMember } from '@primrose/contract';
import { useEffect, useRef, useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, isNotFound, useCall } from '../api.js';
import { Alarm } from '../parts/Alarm.js';
import { ScriptLine } from '../parts/ScriptLine.js';
import { timeOfDay } from '../parts/words.js';
import { AnswerForm } from './AnswerForm.js';
import { useDoing, type Doing } from './doing.js';
import { waited } from './waited.js';

interface InboxTalkProps {
  readonly bot: string;
  readonly id: string;
  readonly me: StaffMember;
  readonly staff: readonly StaffMember[];
}

/** One conversation in the inbox: whose it is, what it is about, what was said, and the answer. */
export function InboxTalk({ bot, id, me, staff }: InboxTalkProps) {
  const params = { bot, conversation: id };
  const talk = useCall('getInboxTalk', { params });
  const doing = useDoing();
  const script = useRef<HTMLDivElement>(null);
  const last = talk.data?.lines.items.at(-1)?.seq ?? 0;
  useEffect(() => {
    if (script.current) script.current.scrollTop = script.current.scrollHeight;
  }, [last]);
  // Once it is given back or closed, staff see no more of it.
  if (isNotFound(talk.error))
    return (
      <div className="empty" style={{ padding: 32 }}>
        <p>This conversation is with staff no more: it was handed back to the bot, or closed.</p>
      </div>
    );
  if (talk.error) return <Alarm>{errorText(talk.error)}</Alarm>;
  if (!talk.data) return null;
  const { conversation: c, lines, notes, summary, typing } = talk.data;
  const others = typing.staff.filter((name) => name !== me.name);
  return (
    <article className="talk inboxtalk" aria-label="The conversation">
      <header>
        <h2 dir="auto">{c.handed?.reason ?? c.said ?? 'Nothing said yet'}</h2>
        <p>
          <span>{c.visitor ?? 'A visitor'}</span>
          <span>{c.channel.name}</span>
          <span>since {timeOfDay(c.openedAt)}</span>
          {c.handed && <span>waits {waited(c.waitsSince)}</span>}
          {typing.visitor && <span className="writing">the visitor is writing</span>}
          {others.length > 0 && <span className="writing">{others.join(', ')} is writing</span>}
        </p>
      </header>
      <Whose item={c} me={me} staff={staff} params={params} doing={doing} />
      <div className="inboxcols">
        <section aria-label="What was said">
          <div className="script" role="log" aria-label="Lines" tabIndex={0} ref={script}>
            {lines.items.map((line) => (
              <ScriptLine key={line.seq} line={line} />
            ))}
          </div>
          {c.handed ? (
            <AnswerForm key={id} params={params} item={c} me={me} seen={last} doing={doing} />
          ) : (
            <p className="handed">With staff no more; the bot answers what comes next.</p>
          )}
          {doing.problem !== undefined && (
            <p className="plum" role="alert">
              {doing.problem}
            </p>
          )}
        </section>
        <aside aria-label="About this conversation">
          <Summary summary={summary} />
          <Notes notes={notes} params={params} doing={doing} />
        </aside>
      </div>
    </article>
  );
}

interface WhoseProps {
  readonly item: InboxItem;
  readonly me: StaffMember;
  readonly staff: readonly StaffMember[];
  readonly params: { readonly bot: string; readonly conversation: string };
  readonly doing: Doing;
}

/** Who has the conversation, and how it comes to somebody else. */
function Whose({ item, me, staff, params, doing }: WhoseProps) {
  if (!item.handed) return null;
  const from = item.staff?.id ?? null;
  const take = (to?: string | null) =>
    void doing.run(call('takeConversation', { params, body: { from, ...(to === undefined ? {} : { to }) } }));
  const mine = from === me.id;
  return (
    <div className="whose">
      <span>{item.staff === null ? 'Nobody has taken it.' : mine ? 'You have it.' : `${item.staff.name} has it.`}</span>
      {!mine && (
        <Button size="sm" variant="outline-secondary" disabled={doing.busy} onClick={() => take()}>
          {item.staff === null ? 'Take it' : `Take it over from ${item.staff.name}`}
        </Button>
      )}
      {mine && (
        <Button size="sm" variant="outline-secondary" disabled={doing.busy} onClick={() => take(null)}>
          Let go of it
        </Button>
      )}
      <Form.Select
        size="sm"
        aria-label="Give it to"
        value=""
        disabled={doing.busy}
        onChange={(e) => e.target.value !== '' && take(e.target.value)}
      >
        <option value="">give it to…</option>
        {staff
          .filter((s) => s.id !== from)
          .map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
            </option>
          ))}
      </Form.Select>
    </div>
  );
}

function Summary({ summary }: { readonly summary: Talk['summary'] }) {
  const { wants, named, done, failed, missed, open } = summary;
  const nothing = [wants, named, done, failed, missed].every((list) => list.length === 0);
  return (
    <section>
      <h3 className="caps soft">So far</h3>
      {nothing && <p className="note">Nothing was understood yet; read what was said.</p>}
      <dl className="sofar">
        <Listed label="Wants" items={wants} />
        {named.length > 0 && (
          <>
            <dt>Named</dt>
            <dd>
              {named.map(([name, value]) => (
                <span key={name}>
                  {name} <i dir="auto">{value}</i>
                  <br />
                </span>
              ))}
            </dd>
          </>
        )}
        <Listed label="Done" items={done} />
        <Listed label="Failed" items={failed} />
        <Listed label="Not understood" items={missed} />
        {open !== null && <Listed label="Said last" items={[open]} />}
      </dl>
    </section>
  );
}

function Listed({ label, items }: { readonly label: string; readonly items: readonly string[] }) {
  if (items.length === 0) return null;
  return (
    <>
      <dt>{label}</dt>
      <dd dir="auto">{items.join('; ')}</dd>
    </>
  );
}

interface NotesProps {
  readonly notes: readonly ConversationNote[];
  readonly params: { readonly bot: string; readonly conversation: string };
  readonly doing: Doing;
}

/** What staff note for each other; the visitor never sees it. */
function Notes({ notes, params, doing }: NotesProps) {
  const [text, setText] = useState('');
  const add = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() === '') return;
    void doing.run(call('addNote', { params, body: { text } })).then((done) => done && setText(''));
  };
  return (
    <section>
      <h3 className="caps soft">Notes for the staff</h3>
      {notes.map((n) => (
        <p key={n.id} className="staffnote" dir="auto">
          {n.text}
          <br />
          <span className="note">
            {n.by}, {timeOfDay(n.at)}
          </span>
        </p>
      ))}
      <form onSubmit={add}>
        <Form.Control
          as="textarea"
          rows={2}
          maxLength={4000}
          aria-label="A note for the staff"
          placeholder="A note; the visitor never sees it"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Button size="sm" className="mt-1" variant="outline-secondary" type="submit" disabled={doing.busy || text.trim() === ''}>
          Note it
        </Button>
      </form>
    </section>
  );
}
