import type { MissedGroupView } from '@primrose/contract';
import { idOf } from '@primrose/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { call, errorText, queryClient, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { useKeys } from '../keys/keys.js';
import { Alarm } from '../parts/Alarm.js';
import { UnderstandingTabs } from '../parts/Tabs.js';
import { plainName, scoreText } from '../parts/words.js';

type Settle = (ids: readonly string[], as: 'phrases' | 'outside' | 'left', intent?: string) => Promise<void>;

const SHOWN = 50;
/** Wordings of a group that are shown; each can be left out of what is done with it. */
const SHOWN_WORDINGS = 12;

/** What visitors and the simulator said that was not understood: each to be taught, put out of scope or left, once. */
export default function MissedPage() {
  const { bot, flush } = useDraftHandle();
  const missed = useCall('listMissed', { params: { bot } });
  const [problem, setProblem] = useState<string>();
  const [told, setTold] = useState<string>();
  const settle: Settle = async (ids, as, intent) => {
    setProblem(undefined);
    try {
      await flush();
      const done = await call('settleMissed', {
        params: { bot },
        body: { ids: [...ids], as, ...(intent === undefined ? {} : { intent }) },
      });
      setTold(wordsFor(done.phrases.length, as, intent));
      await queryClient.invalidateQueries();
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  const groups = missed.data?.groups ?? [];
  const [chosen, setChosen] = useState(0);
  const at = Math.min(chosen, Math.max(0, groups.length - 1));
  const group = groups[at];
  const ids = group?.items.map((i) => i.id) ?? [];
  useKeys({
    j: () => setChosen(Math.min(at + 1, groups.length - 1)),
    k: () => setChosen(Math.max(at - 1, 0)),
    t: () => group?.intent && void settle(ids, 'phrases', group.intent),
    o: () => group && void settle(ids, 'outside'),
    l: () => group && void settle(ids, 'left'),
  });
  return (
    <main className="page missed">
      <UnderstandingTabs />
      <header className="rehearsalbar">
        <h2>Missed</h2>
        <span className="soft">{missed.data && `${missed.data.open} sayings, ${groups.length} kinds`}</span>
        <span className="spring" />
        <span className="note">
          <kbd>J</kbd> <kbd>K</kbd> choose, <kbd>T</kbd> teach as the nearest, <kbd>O</kbd> out of scope, <kbd>L</kbd> leave
        </span>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {missed.error && <Alarm>{errorText(missed.error)}</Alarm>}
      {told !== undefined && (
        <p className="soft" role="status">
          {told}
        </p>
      )}
      {missed.data && groups.length === 0 && (
        <div className="empty">
          <p>Everything was understood.</p>
        </div>
      )}
      <ol className="missedlist">
        {groups.slice(0, SHOWN).map((g, i) => (
          <Group key={g.items[0]?.id ?? g.text} group={g} chosen={i === at} onChoose={() => setChosen(i)} onSettle={settle} />
        ))}
      </ol>
      {groups.length > SHOWN && <p className="note">{groups.length - SHOWN} more kinds, each said less often.</p>}
    </main>
  );
}

/** What a group was nearest to, or where it found nothing. */
function nearestWords({ base, intent, score }: MissedGroupView): string {
  if (base !== null) return `found nothing in ${base.replaceAll('-', ' ')}`;
  return intent === null ? 'like nothing that is taught' : `nearest ${plainName(intent)} ${scoreText(score)}`;
}

function wordsFor(phrases: number, as: string, intent: string | undefined): string {
  if (as === 'left') return 'Left as it is.';
  const what = `${phrases} ${phrases === 1 ? 'phrase' : 'phrases'}`;
  return as === 'outside' ? `${what} more out of scope.` : `${plainName(intent ?? '')} has ${what} more.`;
}

interface GroupProps {
  readonly group: MissedGroupView;
  readonly chosen: boolean;
  readonly onChoose: () => void;
  readonly onSettle: Settle;
}

function Group({ group, chosen, onChoose, onSettle }: GroupProps) {
  const { bot } = useDraftHandle();
  const others = [...new Set(group.items.map((i) => i.text))].filter((t) => t !== group.text);
  const [out, setOut] = useState<readonly string[]>([]);
  const taken = { ...group, items: group.items.filter((i) => !out.includes(i.text)) };
  const turn = (text: string) => setOut(out.includes(text) ? out.filter((t) => t !== text) : [...out, text]);
  const thoughts = [...new Set(group.items.flatMap((i) => i.thought ?? []))];
  const talk = group.items.find((i) => i.conversation !== null)?.conversation;
  return (
    <li
      className={chosen ? 'chosen' : undefined}
      aria-current={chosen ? 'true' : undefined}
      onFocus={onChoose}
      onClick={onChoose}
    >
      <span className="times">{group.times}</span>
      <div>
        <p className="it" dir="auto">
          {group.text}
        </p>
        {others.length > 0 && (
          <p className="note" dir="auto">
            also:{' '}
            {others.slice(0, SHOWN_WORDINGS).map((t) => (
              <button
                key={t}
                type="button"
                className={`bare wording${out.includes(t) ? ' out' : ''}`}
                aria-pressed={!out.includes(t)}
                onClick={() => turn(t)}
              >
                {t}
              </button>
            ))}
          </p>
        )}
        {thoughts.length > 0 && (
          <p className="thought plum" dir="auto">
            the answer did not help: {thoughts.slice(0, SHOWN_WORDINGS).join('; ')}
          </p>
        )}
        <p className="note">
          {nearestWords(group)}, {group.language}, {group.last.slice(0, 10)},{' '}
          {talk === undefined || talk === null ? (
            'in the simulator'
          ) : (
            <Link to={`/bots/${bot}/conversations/${talk}`}>in a conversation</Link>
          )}
        </p>
      </div>
      <Acts group={taken} onSettle={onSettle} />
    </li>
  );
}

function Acts({ group, onSettle }: Pick<GroupProps, 'group' | 'onSettle'>) {
  const { document } = useDraftHandle();
  const [name, setName] = useState('');
  const ids = group.items.map((i) => i.id);
  const intents = Object.keys(document.intents ?? {});
  return (
    <div className="acts">
      <select
        className="form-select"
        aria-label={`Teach “${group.text}” as`}
        value=""
        onChange={(e) => void onSettle(ids, 'phrases', e.target.value)}
      >
        <option value="">Teach as…</option>
        {group.intent !== null && <option value={group.intent}>{plainName(group.intent)} (nearest)</option>}
        {intents
          .filter((i) => i !== group.intent)
          .map((i) => (
            <option key={i} value={i}>
              {plainName(i)}
            </option>
          ))}
      </select>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (idOf(name) !== '') void onSettle(ids, 'phrases', idOf(name));
        }}
      >
        <input
          className="form-control"
          aria-label={`A new intent for “${group.text}”`}
          placeholder="or as a new intent"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </form>
      <button className="bare note" type="button" onClick={() => void onSettle(ids, 'outside')}>
        out of scope
      </button>
      <button className="bare note" type="button" onClick={() => void onSettle(ids, 'left')}>
        leave
      </button>
    </div>
  );
}
