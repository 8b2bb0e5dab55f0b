import {
  consideredWords,
  MATCH_FROM,
  takenWords,
  textOf,
  type OpenContext,
  type PassedOver,
  type TurnSheet,
} from '@primrose/core';
import { plainName, scoreText } from '../parts/words.js';

const BY = {
  begins: 'began its flow',
  interrupts: 'came between',
  fills: 'filled in what was asked',
  listen: 'was listened for',
  follows: 'was asked again with something changed',
} as const;

/** Why an intent that was sure enough was passed over. */
export const PASSED: Readonly<Record<PassedOver, string>> = {
  'starts-nothing': 'begins no flow',
  'no-context': 'its context was not open',
  stays: 'may not come between',
  answered: 'the node that waited took it as its answer',
  'fills-nothing': 'its flow is under way, and it fills in nothing of it',
  'too-deep': 'too many flows are under way inside each other',
  'not-heard': 'the node that waited does not listen for it',
  denied: 'the visitor said that they do not want it',
};

/** How a message was taken, and what was considered for it. */
export function TakenAs({ sheet: { taken } }: { readonly sheet: TurnSheet }) {
  if (!taken) return null;
  return (
    <section className="sec">
      <h2>Taken as</h2>
      <p>{takenWords(taken)}</p>
      {taken.considered && <p className="note">Considered: {consideredWords(taken).join('; ')}.</p>}
    </section>
  );
}

/** What a message was understood as: intents with their scores, and why the first is the first. */
export function Understood({ sheet: { understood } }: { readonly sheet: TurnSheet }) {
  if (!understood) return null;
  const by = understood.took !== undefined && understood.by ? `${plainName(understood.took)} ${BY[understood.by]}` : undefined;
  return (
    <section className="sec">
      <h2>
        Understood <span className="note">must reach {scoreText(understood.from ?? MATCH_FROM)}</span>
      </h2>
      <Scores intents={understood.intents} took={understood.took} from={understood.from ?? MATCH_FROM} />
      <Reading {...understood} />
      <p className="note">{by === undefined ? 'The bot went by none of them.' : `${by}.`}</p>
      {understood.learning && (
        <p className="note">The bot was still learning: only phrases said to the letter, and values, were understood.</p>
      )}
      {understood.passed && (
        <ul className="note">
          {understood.passed.map(({ intent, why }) => (
            <li key={intent}>
              {plainName(intent)} was passed over: {PASSED[why]}.
            </li>
          ))}
        </ul>
      )}
      {understood.filled && (
        <p className="note">
          Filled in:{' '}
          {Object.entries(understood.filled)
            .map(([name, v]) => `${plainName(name)} ${textOf(v)}`)
            .join(', ')}
        </p>
      )}
    </section>
  );
}

interface Scored {
  readonly intent: string;
  readonly score: number;
}

interface ScoresProps {
  readonly intents: readonly Scored[];
  readonly took?: string | undefined;
  /** The score that one must reach. */
  readonly from?: number;
}

type ReadingProps = Pick<Reading, 'why' | 'mended' | 'language'>;
type Reading = NonNullable<TurnSheet['understood']>;

/** Why the first intent came first: words for and against it, the nearest phrase, what was mended, which language it was. */
export function Reading({ why, mended, language }: ReadingProps) {
  const words = (list: NonNullable<Reading['why']>['for']) => list.map((w) => w.word).join(', ');
  return (
    <div className="why">
      {why && why.for.length > 0 && <div>for it: {words(why.for)}</div>}
      {why && why.against.length > 0 && <div className="against">against it: {words(why.against)}</div>}
      {why?.nearest && (
        <div className="note">
          nearest phrase: <span className="it">{why.nearest.phrase}</span> ({plainName(why.nearest.intent)},{' '}
          {scoreText(why.nearest.likeness)} alike)
        </div>
      )}
      {mended && mended.length > 0 && (
        <div className="note">read as: {mended.map((m) => `${m.said} → ${m.read}`).join(', ')}</div>
      )}
      {language !== undefined && (
        <div className="note">said in {language}; the conversation goes on in it where the bot has it</div>
      )}
    </div>
  );
}

/** Ranked intents as bars, with the line from which one counts. */
export function Scores({ intents, took, from = MATCH_FROM }: ScoresProps) {
  if (intents.length === 0) return <p className="note">Nothing that the bot listens for is like it.</p>;
  return (
    <div className="scores" role="list" aria-label="Intents by score">
      {intents.map(({ intent, score }) => (
        <div key={intent} role="listitem" className={intent === took ? 'took' : undefined}>
          <span>{plainName(intent)}</span>
          <span className="bar">
            <i style={{ width: `${Math.round(score * 100)}%` }} />
            <s style={{ insetInlineStart: `${from * 100}%` }} />
          </span>
          <span>{scoreText(score)}</span>
        </div>
      ))}
    </div>
  );
}

/** Contexts before and after the turn, how long each lasts yet and what it carries. */
export function Contexts({ sheet: { contexts } }: { readonly sheet: TurnSheet }) {
  if (!contexts) return null;
  const { before, after, states } = contexts;
  const names = [...new Set([...before, ...after])];
  return (
    <section className="sec">
      <h2>Contexts</h2>
      <table className="t">
        <thead>
          <tr>
            <th>
              <span className="visually-hidden">context</span>
            </th>
            <th>before</th>
            <th>after</th>
            <th>carries</th>
          </tr>
        </thead>
        <tbody>
          {names.map((name) => {
            const [was, is] = [
              lifeOf(states?.before[name], before.includes(name)),
              lifeOf(states ? states.after[name] : undefined, states ? name in states.after : after.includes(name)),
            ];
            return (
              <tr key={name}>
                <td>{plainName(name)}</td>
                <td className={was === 'absent' ? 'note' : undefined}>{was}</td>
                <td>{was === is ? is : <span className="new">{is}</span>}</td>
                <td className="note">
                  {Object.entries((states?.after[name] ?? states?.before[name])?.values ?? {})
                    .filter(([, v]) => v !== null)
                    .map(([key, v]) => `${plainName(key)} ${textOf(v)}`)
                    .join(', ')}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

/** How much longer a context lasts. */
function lifeOf(context: OpenContext | undefined, open: boolean): string {
  if (!open) return 'absent';
  if (context?.turns !== undefined) return context.turns === 1 ? '1 turn left' : `${context.turns} turns left`;
  return context?.until === undefined ? 'open' : `until ${context.until.slice(11, 16)} UTC`;
}
