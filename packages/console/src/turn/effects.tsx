import {
  isActionCall,
  isLookupCall,
  isModelCall,
  type ActionCall,
  type EffectResult,
  type LookupCall,
  type ModelCall,
  type Performed,
} from '@primrose/core';
import { useDraftHandle } from '../draft/context.js';
import { PassageList } from '../parts/PassageList.js';
import { duration, scoreText } from '../parts/words.js';

interface PartProps<T> {
  readonly effect: T;
  readonly ms: number;
}

/** What a turn asked of the outside or of the knowledge, and what came back. */
export function EffectPart({ effect, ms }: PartProps<Performed>) {
  if (isActionCall(effect)) return <ApiCall effect={effect} ms={ms} />;
  if (isModelCall(effect)) return <ModelPart effect={effect} ms={ms} />;
  return isLookupCall(effect) ? <LookupPart effect={effect} ms={ms} /> : null;
}

function ApiCall({ effect: { request, result }, ms }: PartProps<ActionCall>) {
  return (
    <section className="sec">
      <h2>
        API call{' '}
        <span className="note">
          <b className={outcomeClass(result)}>{result.outcome === 'answered' ? result.status : result.code}</b>, {duration(ms)}
        </span>
      </h2>
      <p className="req">
        {request.method} {result.url ?? request.target}
      </p>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      <div className="rr">
        <div>
          <h3>Sent</h3>
          <pre className="json">{JSON.stringify(request.body ?? request.query, null, 2)}</pre>
        </div>
        <div>
          <h3>Came back</h3>
          <pre className="json">{result.outcome === 'answered' ? cut(JSON.stringify(result.body, null, 2)) : 'nothing'}</pre>
        </div>
      </div>
    </section>
  );
}

/** What the tokens of a call cost under the profile's price; empty where it has none. */
function priceText(
  tokens: { in: number; out: number } | null,
  price: { in: number; out: number; currency?: string | undefined } | undefined,
) {
  if (!tokens || !price) return '';
  const cost = (tokens.in * price.in + tokens.out * price.out) / 1e6;
  return `, ${cost.toFixed(6).replace(/0+$/, '0')} ${price.currency ?? ''}`.trimEnd();
}

function ModelPart({ effect: { request, result }, ms }: PartProps<ModelCall>) {
  const { document } = useDraftHandle();
  const tokens = result.outcome === 'written' ? result.tokens : null;
  const used = tokens ? `${tokens.in} tokens in, ${tokens.out} out` : `about ${request.estimate} tokens in`;
  const price = priceText(tokens, document.models?.[request.profile]?.price);
  return (
    <section className="sec">
      <h2>
        Model call{' '}
        <span className="note">
          {request.profile} ({request.model}), {used}
          {price}, {duration(ms)}
        </span>
      </h2>
      {result.outcome === 'failed' && <p className="plum">{result.reason}</p>}
      {request.messages.map((m, i) => (
        <details key={i}>
          <summary className="note">{m.role === 'system' ? 'What it was told' : 'What it was given'}</summary>
          <pre className="json" dir="auto">
            {cut(m.content)}
          </pre>
        </details>
      ))}
      {result.outcome === 'written' && (
        <>
          <p className="note">{result.stopped === 'length' ? 'It wrote, and was cut:' : 'It wrote:'}</p>
          <pre className="json" dir="auto">
            {cut(result.text)}
          </pre>
        </>
      )}
    </section>
  );
}

function LookupPart({ effect: { request, result } }: PartProps<LookupCall>) {
  return (
    <section className="sec">
      <h2>
        Looked up <span className="note">{request.base}</span>
      </h2>
      <p dir="auto">{request.question}</p>
      <p className={result.covered ? 'note' : 'plum'}>
        {result.covered ? 'Covered' : 'Not covered'}, {scoreText(result.share)} of the question’s weight
        {result.missing.length > 0 && `; nowhere: ${result.missing.join(', ')}`}
      </p>
      <PassageList passages={result.passages} />
    </section>
  );
}

function outcomeClass(result: EffectResult): string {
  return result.outcome === 'answered' && result.status < 400 ? 'b' : 'plum';
}

function cut(text: string): string {
  return text.length > 4000 ? `${text.slice(0, 4000)}\n…` : text;
}
