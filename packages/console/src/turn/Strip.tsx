import type { TurnRecord } from '@primrose/contract';
import { takenWords } from '@primrose/core';
import { Link } from 'react-router';
import { Petal } from '../parts/Petal.js';
import { duration, plainName, scoreText } from '../parts/words.js';
import { tokensOf } from './costs.js';

interface StripProps {
  readonly turn: TurnRecord;
  readonly to: string;
  /** The turn that the Map shows. */
  readonly shown: boolean;
}

const ANSWERED: ReadonlySet<string> = new Set(['ask', 'choice']);
/** Taken as what the strip says anyhow. */
const PLAIN: ReadonlySet<string> = new Set(['answer', 'button', 'wish', 'question-between']);
const UNHEARD: ReadonlySet<string> = new Set(['gave-up', 'other']);

/** What a turn was understood as, in one or two words. */
function summary({ sheet }: TurnRecord) {
  const { understood } = sheet;
  const [best] = understood?.intents ?? [];
  if (sheet.taken && !PLAIN.has(sheet.taken.as)) return takenWords(sheet.taken);
  if (sheet.handed && sheet.path.length === 0) return 'with staff';
  if (understood?.took !== undefined) {
    const score = understood.intents.find((i) => i.intent === understood.took)?.score ?? 0;
    return (
      <>
        {plainName(understood.took)} <b className="sc">{scoreText(score)}</b>
      </>
    );
  }
  const waited = sheet.path[0];
  if (waited && ANSWERED.has(waited.kind) && waited.exit !== undefined && !UNHEARD.has(waited.exit))
    return `answering ${plainName(waited.node)}`;
  if (understood && best) {
    return (
      <>
        nearest {plainName(best.intent)} <b className="sc">{scoreText(best.score)}</b>
      </>
    );
  }
  return `${sheet.path.length} ${sheet.path.length === 1 ? 'node' : 'nodes'}`;
}

/** The one-line form of a turn; leads to its sheet. */
export function Strip({ turn, to, shown }: StripProps) {
  const { sheet } = turn;
  const problems = sheet.problems.length;
  const tokens = tokensOf(sheet.effects);
  const open = sheet.contexts?.after ?? [];
  return (
    <Link className={`strip${shown ? ' on' : ''}${problems > 0 ? ' bad' : ''}`} to={to}>
      <span className="visually-hidden">Turn sheet of turn {turn.number}: </span>
      <span aria-hidden="true">{shown ? <Petal size={13} /> : '›'}</span>
      <span className="what">
        {summary(turn)}
        {problems > 0 && <span className="sc"> {problems === 1 ? '1 problem' : `${problems} problems`}</span>}
      </span>
      <span className="ctx">
        {sheet.ended ? 'ended' : open.length > 0 ? <em>{open.map(plainName).join(', ')}</em> : sheet.path.at(-1)?.node}
      </span>
      <span>
        {tokens > 0 && `${tokens} tok `}
        {duration(turn.ms)}
      </span>
    </Link>
  );
}
