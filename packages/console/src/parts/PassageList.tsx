import type { FoundPassage, WhyRanked } from '@primrose/core';

/** Passages that a question found, by rank, each with where it stands and why it ranks there. */
export function PassageList({ passages }: { readonly passages: readonly FoundPassage[] }) {
  return (
    <ol className="passages">
      {passages.map((p) => (
        <li key={p.number}>
          <b>[{p.number}]</b> {p.title}
          {p.heading && ` › ${p.heading}`} <span className="note">{p.score.toFixed(2)}</span>
          {p.page !== undefined && <span className="note"> page {p.page}</span>}
          {p.why && <WhyLine why={p.why} also={p.also?.length ?? 0} />}
          <p dir="auto">{p.quote}</p>
        </li>
      ))}
    </ol>
  );
}

const BY: Readonly<Record<WhyRanked['words'][number]['by'], string>> = {
  said: '',
  mended: ' (misspelt)',
  part: ' (a part)',
  synonym: ' (means the same)',
};

/** Why a passage ranks where it does, in one line. */
export function WhyLine({ why, also = 0 }: { readonly why: WhyRanked; readonly also?: number }) {
  const words = why.words.slice(0, 6).map((w) => `${w.word}${BY[w.by]} ${w.weight.toFixed(1)}`);
  const facts = [
    words.length > 0 ? `words ${words.join(', ')}` : 'none of the words',
    ...(why.titled.length > 0 ? [`in its title ${why.titled.join(', ')}`] : []),
    ...(why.near >= 0.1 ? [`near each other ${why.near.toFixed(2)}`] : []),
    ...(why.alike === undefined ? [] : [`alike as a whole ${why.alike.toFixed(2)}`]),
    ...(also > 0 ? [`${also} more ${also === 1 ? 'says' : 'say'} the same`] : []),
  ];
  return <span className="note why">{facts.join(' · ')}</span>;
}
