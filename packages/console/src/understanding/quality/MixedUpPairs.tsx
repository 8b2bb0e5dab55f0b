import type { BotDocument, FaultyPhrase, MixedUp, QualityReport } from '@primrose/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { useDraftHandle } from '../../draft/context.js';
import { useKeys } from '../../keys/keys.js';
import { plainName, scoreText } from '../../parts/words.js';
import { deletePhrase, mergeIntents, movePhrase } from './changes.js';

const ADVICE = {
  move: 'It is nearer to the other: move it there.',
  delete: 'The other has the same: delete it here.',
  more: 'Give its intent more phrases like it.',
} as const;

interface PairsProps {
  readonly report: QualityReport;
  readonly before: QualityReport | undefined;
  /** Changes the draft and measures again. */
  readonly onChange: (change: (document: BotDocument) => BotDocument) => void;
}

/** How many phrases two intents lose to each other in a report. */
function lost(report: QualityReport | undefined, [a, b]: readonly [string, string]): number | undefined {
  if (!report) return undefined;
  return report.mixedUp.find((m) => m.intents[0] === a && m.intents[1] === b)?.phrases.length ?? 0;
}

/** Intents that are mixed up, with the phrases at fault. One phrase is chosen; a key does with it what would help. */
export function MixedUpPairs({ report, before, onChange }: PairsProps) {
  const all = report.mixedUp.flatMap((m) => m.phrases);
  const [chosen, setChosen] = useState(0);
  const at = Math.min(chosen, Math.max(0, all.length - 1));
  const phrase = all[at];
  const advised = (of: FaultyPhrase) => (d: BotDocument) => (of.advice === 'delete' ? deletePhrase(d, of) : movePhrase(d, of));
  useKeys({
    j: () => setChosen(Math.min(at + 1, all.length - 1)),
    k: () => setChosen(Math.max(at - 1, 0)),
    v: () => phrase && onChange((d) => movePhrase(d, phrase)),
    x: () => phrase && onChange((d) => deletePhrase(d, phrase)),
    enter: () => phrase && phrase.advice !== 'more' && onChange(advised(phrase)),
  });
  if (report.mixedUp.length === 0) return <p className="soft">No two intents are mixed up.</p>;
  return (
    <>
      <p className="note">
        <kbd>J</kbd> <kbd>K</kbd> choose a phrase, <kbd>V</kbd> moves it, <kbd>X</kbd> deletes it, <kbd>Enter</kbd> does what is
        advised. Then it is measured again.
      </p>
      {report.mixedUp.map((pair) => (
        <Pair
          key={pair.intents.join()}
          pair={pair}
          before={lost(before, pair.intents)}
          chosen={phrase}
          onChoose={(p) => setChosen(all.indexOf(p))}
          onChange={onChange}
        />
      ))}
    </>
  );
}

interface PairProps {
  readonly pair: MixedUp;
  readonly before: number | undefined;
  readonly chosen: FaultyPhrase | undefined;
  readonly onChoose: (phrase: FaultyPhrase) => void;
  readonly onChange: PairsProps['onChange'];
}

function Pair({ pair: { intents, phrases, merge }, before, chosen, onChoose, onChange }: PairProps) {
  const { bot } = useDraftHandle();
  const [a, b] = intents;
  const loses = (of: string) => phrases.filter((p) => p.intent === of).length;
  return (
    <section className="pairing" aria-label={`${plainName(a)} and ${plainName(b)}`}>
      <header>
        <Link to={`/bots/${bot}/understanding/intent/${a}`}>{plainName(a)}</Link>
        <span className="note">loses {loses(a)}</span>
        <span className="spring" />
        {before !== undefined && before !== phrases.length && (
          <span className="soft" role="status">
            {before} before, {phrases.length} now
          </span>
        )}
        <span className="spring" />
        <span className="note">loses {loses(b)}</span>
        <Link to={`/bots/${bot}/understanding/intent/${b}`}>{plainName(b)}</Link>
      </header>
      <ul>
        {phrases.map((p) => (
          <Faulty
            key={`${p.intent} ${p.text}`}
            phrase={p}
            chosen={p === chosen}
            onChoose={() => onChoose(p)}
            onChange={onChange}
          />
        ))}
      </ul>
      {merge && (
        <p className="note">
          They are so alike that one would do.{' '}
          <button className="bare" type="button" onClick={() => onChange((d) => mergeIntents(d, intents))}>
            Merge {plainName(b)} into {plainName(a)}
          </button>
        </p>
      )}
    </section>
  );
}

interface FaultyProps {
  readonly phrase: FaultyPhrase;
  readonly chosen: boolean;
  readonly onChoose: () => void;
  readonly onChange: PairsProps['onChange'];
}

function Faulty({ phrase, chosen, onChoose, onChange }: FaultyProps) {
  const { bot } = useDraftHandle();
  return (
    <li className={chosen ? 'chosen' : undefined} aria-current={chosen ? 'true' : undefined} onFocus={onChoose}>
      <span className="it" dir="auto">
        {phrase.text}
      </span>
      <span className="plum">
        {scoreText(phrase.score)} read as {plainName(phrase.read)}
      </span>
      <span className="note">{ADVICE[phrase.advice]}</span>
      <span className="acts">
        <button className="bare" type="button" onClick={() => onChange((d) => movePhrase(d, phrase))}>
          Move to {plainName(phrase.read)}
        </button>
        <button className="bare" type="button" onClick={() => onChange((d) => deletePhrase(d, phrase))}>
          Delete
        </button>
        <Link to={`/bots/${bot}/understanding/intent/${phrase.intent}`}>Teach more</Link>
      </span>
    </li>
  );
}
