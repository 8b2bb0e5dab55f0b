import { MATCH_FROM, textOf, type TurnSheet } from '@primrose/core';
import { plainName, scoreText } from '../parts/words.js';

const BY = {
  begins: 'began its flow',
  interrupts: 'came between',
  fills: 'filled in what was asked',
  listen: 'was listened for',
} as const;

/** What a message was understood as: intents with their scores, values, contexts. */
export function Understood({ sheet: { understood, contexts } }: { readonly sheet: TurnSheet }) {
  if (!understood && !contexts) return null;
  return (
    <section className="sec">
      <h2>Understood</h2>
      {understood && <Scores intents={understood.intents} took={understood.took} />}
      {understood?.took !== undefined && understood.by && (
        <p className="note">
          {plainName(understood.took)} {BY[understood.by]}.
        </p>
      )}
      {understood && understood.took === undefined && <p className="note">The bot went by none of them.</p>}
      {understood && understood.values.length > 0 && (
        <p>
          {understood.values.map((v, i) => (
            <span key={i} className="glossed">
              <span dir="auto">{v.text}</span>
              <small>
                {v.entity}: {textOf(v.value)}
              </small>
            </span>
          ))}
        </p>
      )}
      {contexts && (
        <p className="note">
          Contexts before: {contexts.before.join(', ') || 'none'}; after: {contexts.after.join(', ') || 'none'}
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
