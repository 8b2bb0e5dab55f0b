import { TALK_HABITS, type TalkHabit, type TalkHabits } from '@primrose/core';

/** What each habit of conversation is, in the words of the docs. */
const ABOUT: Readonly<Record<TalkHabit, string>> = {
  corrections: 'takes corrections: “no, Gannet Quay”',
  wishes: 'serves two wishes in one message, and none that is denied',
  between: 'answers questions in between, and comes back',
  'follow-ups': 'goes on from what was asked: “and on Sunday?”',
  'ways-out': 'lets visitors leave, go back, start over, ask again',
  misses: 'helps when it does not understand',
  memory: 'keeps what visitors say of themselves in mind, tells what it knows, and forgets when asked',
  tone: 'opens the way to a person to who is angry or in distress',
};

interface HabitsProps {
  readonly value: TalkHabits | undefined;
  /** Where a habit comes from that is not said here: "the flow"; undefined where it is had unless it is said otherwise. */
  readonly from?: string;
  readonly onChange: (value: TalkHabits | undefined) => void;
}

/** The habits of conversation of a bot, a flow or a node, each as elsewhere, on or off. */
export function Habits({ value, from, onChange }: HabitsProps) {
  const write = (habit: TalkHabit, chosen: string) => {
    const { [habit]: _old, ...rest } = value ?? {};
    const next = chosen === '' ? rest : { ...rest, [habit]: chosen === 'on' };
    onChange(Object.keys(next).length === 0 ? undefined : next);
  };
  return (
    <div className="habits" role="group" aria-label="Habits of conversation">
      {TALK_HABITS.map((habit) => (
        <label key={habit}>
          <select
            className="form-select"
            aria-label={habit.replaceAll('-', ' ')}
            value={value?.[habit] === undefined ? '' : value[habit] ? 'on' : 'off'}
            onChange={(e) => write(habit, e.target.value)}
          >
            <option value="">{from === undefined ? 'as usual: on' : `as ${from}`}</option>
            {from !== undefined && <option value="on">on</option>}
            <option value="off">off</option>
          </select>
          <span>{ABOUT[habit]}</span>
        </label>
      ))}
    </div>
  );
}
