import type { TakenAs } from '../../document/shapes.js';
import type { Taken } from '../sheet.js';

/** What a message was taken as, in words for designers; what it is of follows behind. */
const AS: Readonly<Record<TakenAs, readonly [alone: string, of: string]>> = {
  button: ['a button that was pressed', 'a button that was pressed'],
  answer: ['the answer', 'the answer to'],
  answers: ['several answers in one', 'the answer, and also as'],
  correction: ['a correction', 'a correction of'],
  wish: ['a wish', 'a wish:'],
  'two-wishes': ['two wishes', 'two wishes:'],
  'question-between': ['a question in between', 'a question in between:'],
  'follow-up': ['a follow-up', 'a follow-up to'],
  'way-out': ['a way out', 'a way out:'],
  offer: ['a button of the bot itself', 'what the bot offered:'],
  distress: ['anger or distress', 'anger or distress:'],
  denial: ['something that is not wanted', 'something that is not wanted:'],
  memory: ['about what is kept', 'about what is kept:'],
  miss: ['a miss', 'miss'],
};

/** How a message was taken, as the end of a sentence: "a correction of day", "miss 2". */
export function takenWords({ as, of }: Pick<Taken, 'as' | 'of'>): string {
  const [alone, before] = AS[as];
  return of === undefined ? alone : `${before} ${of}`;
}

/** What a message was considered to be, with how sure that was: "the answer (number word, .84)". */
export function consideredWords({ considered = [] }: Taken): string[] {
  return considered.map(({ as, what, score }) => {
    const sure = score === undefined ? '' : `, ${score.toFixed(2).replace(/^0/, '')}`;
    return `${AS[as][0]} (${what}${sure})`;
  });
}
