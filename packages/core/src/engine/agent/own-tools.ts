import type { TypeObject, Value } from '../../document/shapes.js';
import { daysBetween, weekdayOf } from '../../understanding/calendar.js';
import { findMoments } from '../../understanding/moments.js';
import type { BotDocument } from '../../document/schema.js';
import { rememberTool, remembers, type OwnCame } from './remember.js';
import type { Turn } from '../turn.js';
import type { OwnTool } from './declared.js';
import { workOut } from './sums.js';

/*
 * Two tools of our own, because models are bad at both: sums and dates. They are computed, cost nothing and change nothing.
 */

const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];

interface OwnDeclaration {
  readonly about: string;
  readonly takes: Readonly<Record<string, TypeObject>>;
  readonly call: (turn: Turn, given: Readonly<Record<string, Value>>) => OwnCame;
  /** What of it depends on the bot: the words of what it is for, and of its parameters. */
  readonly of?: (document: BotDocument) => Pick<OwnDeclaration, 'about' | 'takes'>;
}

const text = (value: Value | undefined): string => (typeof value === 'string' ? value : '');

export const ownTools: Readonly<Record<OwnTool, OwnDeclaration>> = {
  sums: {
    about: 'works out a sum exactly: add, subtract, multiply, divide, percent',
    takes: { sum: { type: 'text', about: 'the sum in figures, such as 3 * (18.50 + 4)' } },
    call: (_turn, { sum }) => {
      const came = workOut(text(sum));
      return came.ok ? { ok: true, gave: { sum: text(sum), is: came.value } } : came;
    },
  },
  dates: {
    about: 'tells which date or time words mean, such as Thursday after next from six till eight, and how far it is from today',
    takes: { words: { type: 'text', about: 'the words for days and times, as they were said' } },
    call: (turn, { words }) => {
      const said = text(words).slice(0, 500);
      const found = findMoments(said, { ...turn.answerSetting, wants: 'future' });
      if (found.length === 0) return { ok: false, reason: `no day and no time is named by "${said.slice(0, 80)}"` };
      const today = text(turn.view.clock['today']);
      return {
        ok: true,
        gave: {
          found: found.map(({ from, to, date, time }): Value => {
            return {
              words: said.slice(from, to),
              ...(date === undefined
                ? {}
                : { date, weekday: WEEKDAYS[weekdayOf(date)] ?? '', days_from_today: daysBetween(today, date) }),
              ...(time === undefined ? {} : { time }),
            };
          }),
        },
      };
    },
  },
  memory: { about: 'keeps a fact about the visitor in mind', takes: {}, of: rememberTool, call: remembers },
};
