import type { AsideEvent, Kept } from '@primrose/contract';
import { useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { Link } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { timeOfDay } from '../parts/words.js';
import { SettingsTabs } from '../parts/Tabs.js';

/** How long records of this bot are kept, and events that were put aside. */
export default function KeepingPage() {
  return (
    <main className="page">
      <header>
        <h2>Limits and retention</h2>
      </header>
      <SettingsTabs />
      <Retention />
      <Aside />
    </main>
  );
}

function Retention() {
  const { bot } = useDraftHandle();
  const kept = useCall('getRetention', { params: { bot } });
  return (
    <section>
      <h3>How long records are kept</h3>
      <p className="note">What is older goes by itself, within the hour. A deleted bot goes after 30 days.</p>
      {kept.error && <Alarm>{errorText(kept.error)}</Alarm>}
      <table className="table-grid">
        <thead>
          <tr>
            <th>Records</th>
            <th>Days</th>
            <th>What they are</th>
          </tr>
        </thead>
        <tbody>
          {kept.data?.items.map((k) => (
            <KeptRow key={`${k.kind} ${k.days}`} kept={k} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function KeptRow({ kept }: { readonly kept: Kept }) {
  const { bot } = useDraftHandle();
  const [text, setText] = useState(kept.days === null ? '' : String(kept.days));
  const [problem, setProblem] = useState<string>();
  const good = text === '' || /^[1-9]\d{0,4}$/.test(text);
  const keep = () => {
    const days = text === '' ? null : Number(text);
    if (!good || days === kept.days) return;
    call('setRetention', { params: { bot }, body: { [kept.kind]: days } }).then(
      () => invalidate('getRetention'),
      (error: unknown) => setProblem(errorText(error)),
    );
  };
  return (
    <tr>
      <td>{kept.kind}</td>
      <td>
        <Form.Control
          aria-label={`Days that ${kept.kind} are kept`}
          size="sm"
          style={{ width: 96 }}
          inputMode="numeric"
          value={text}
          placeholder={`${kept.usual}`}
          isInvalid={!good}
          onChange={(e) => setText(e.target.value)}
          onBlur={keep}
          onKeyDown={(e) => e.key === 'Enter' && keep()}
        />
        <Form.Control.Feedback type="invalid">A number of days, or nothing for {kept.usual}.</Form.Control.Feedback>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
      </td>
      <td className="note">{kept.about}</td>
    </tr>
  );
}

function Aside() {
  const { bot } = useDraftHandle();
  const aside = useCall('listAside', { params: { bot }, query: {} });
  return (
    <section>
      <h3>Put aside</h3>
      <p className="note">
        What came in and could not be answered, however often it was tried. The visitor was told; nothing else waits for it.
      </p>
      {aside.error && <Alarm>{errorText(aside.error)}</Alarm>}
      {aside.data?.items.length === 0 && <p className="empty">Everything was answered.</p>}
      {aside.data?.items.map((a) => (
        <AsideLine key={a.event} aside={a} />
      ))}
    </section>
  );
}

/** One event that was put aside, with the way to have it answered after all. */
export function AsideLine({ aside: a }: { readonly aside: AsideEvent }) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const again = () =>
    call('tryAsideAgain', { params: { bot, event: a.event } }).then(
      () => invalidate('listAside', 'getConversation', 'listTurns'),
      (error: unknown) => setProblem(errorText(error)),
    );
  return (
    <div className="alarm mb-2">
      <p className="mb-1">
        <Link to={`/bots/${bot}/conversations/${a.conversation}`}>{timeOfDay(a.at)}</Link>{' '}
        <i dir="auto">{a.said === null ? 'what came in' : `“${a.said}”`}</i> was put aside after {a.tries} tries: {a.reason}.
      </p>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {a.againAt === null ? (
        <Button variant="outline-secondary" size="sm" onClick={() => void again()}>
          Try again
        </Button>
      ) : (
        <span className="note">tried again at {timeOfDay(a.againAt)}</span>
      )}
    </div>
  );
}
