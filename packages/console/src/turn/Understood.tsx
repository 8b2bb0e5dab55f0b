import { MATCH_FROM, textOf, type OpenContext, type PassedOver, type TurnSheet } from '@primrose/core';
import { plainName, scoreText } from '../parts/words.js';

const BY = {
  begins: 'began its flow',
  interrupts: 'came between',
  fills: 'filled in what was asked',
  listen: 'was listened for',
} as const;

/** What a message was understood as: intents with their scores. */
/** Why an intent that was sure enough was passed over. */
export const PASSED: Readonly<Record<PassedOver, string>> = {
  'starts-nothing': 'begins no flow',
  'no-context': 'its context was not open',
  stays: 'may not come between',
  answered: 'the node that waited took it as its answer',
  'fills-nothing': 'its flow is under way, and it fills in nothing of it',
  'too-deep': 'too many flows are under way inside each other',
  'not-heard': 'the node that waited does not listen for it',
};

export function Understood({ sheet: { understood } }: { readonly sheet: TurnSheet }) {
  if (!understood) return null;
  const by = understood.took !== undefined && understood.by ? `${plainName(understood.took)} ${BY[understood.by]}` : undefined;
  return (
    <section className="sec">
      <h2>
        Understood <span className="note">must reach {scoreText(MATCH_FROM)}</span>
      </h2>
      <Scores intents={understood.intents} took={understood.took} />
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

/** Ranked intents as bars, with the line from which one counts. */
export function Scores({ intents, took }: { readonly intents: readonly Scored[]; readonly took?: string | undefined }) {
  if (intents.length === 0) return <p className="note">Nothing that the bot listens for is like it.</p>;
  return (
    <div className="scores" role="list" aria-label="Intents by score">
      {intents.map(({ intent, score }) => (
        <div key={intent} role="listitem" className={intent === took ? 'took' : undefined}>
          <span>{plainName(intent)}</span>
          <span className="bar">
            <i style={{ width: `${Math.round(score * 100)}%` }} />
            <s style={{ insetInlineStart: `${MATCH_FROM * 100}%` }} />
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
