import { SentPictures } from '../parts/SentPictures.js';
import type { TurnRecord } from '@primrose/contract';
import { compareTurns, differenceKind, type Message } from '@primrose/core';
import { memo } from 'react';
import { Citations } from '../parts/Citations.js';
import { Markdown } from '../parts/Markdown.js';
import { Petal } from '../parts/Petal.js';
import { Strip } from '../turn/Strip.js';

interface ScriptTurnProps {
  readonly turn: TurnRecord;
  readonly last: boolean;
  /** The Map shows it. */
  readonly shown: boolean;
  readonly sheetAt: string;
  readonly busy: boolean;
  readonly buttons: boolean;
  /** So far up that it is drawn only when somebody scrolls there. */
  readonly far: boolean;
  /** What else was said in its place, itself among it, in the order in which it was said. */
  readonly siblings: readonly TurnRecord[];
  /** The turn that it repeats. */
  readonly repeats: TurnRecord | undefined;
  readonly onChoice: (words: string, id: string) => void;
  readonly onOtherwise: (turn: TurnRecord) => void;
  readonly onSwitch: (turn: string) => void;
  readonly onShow: (turn: string) => void;
}

/** One turn of the play script: what was said, what the bot said, and the strip that leads to its sheet. */
export const ScriptTurn = memo(function ScriptTurn(props: ScriptTurnProps) {
  const { turn, last, shown, sheetAt, busy, buttons, far, siblings, repeats, onChoice, onOtherwise, onSwitch, onShow } = props;
  const { sheet } = turn;
  const at = siblings.findIndex((s) => s.id === turn.id);
  return (
    <section className={far ? 'turn far' : 'turn'} aria-label={`Turn ${turn.number}`}>
      <CameIn turn={turn} />
      {sheet.messages.map((message, i) => (
        <SaidMessage key={i} message={message} first={i === 0} off={!last || busy} buttons={buttons} onChoice={onChoice} />
      ))}
      {sheet.stopped && <p className="handed">stopped here; what was done stands in the turn sheet</p>}
      {repeats && <Repeated turn={turn} repeats={repeats} />}
      <Strip turn={turn} shown={shown} to={sheetAt} />
      <p className="turnacts">
        {siblings.length > 1 && (
          <span className="which">
            <button
              type="button"
              className="bare"
              aria-label="What was said before in its place"
              disabled={at <= 0}
              onClick={() => onSwitch(siblings[at - 1]?.id ?? '')}
            >
              ‹
            </button>
            <span title="branches that go on from the turn before">
              {at + 1} of {siblings.length}
            </span>
            <button
              type="button"
              className="bare"
              aria-label="What was said later in its place"
              disabled={at >= siblings.length - 1}
              onClick={() => onSwitch(siblings[at + 1]?.id ?? '')}
            >
              ›
            </button>
          </span>
        )}
        <span className="spring" />
        {!shown && (
          <button type="button" className="bare" onClick={() => onShow(turn.id)}>
            <Petal size={11} /> on the Map
          </button>
        )}
        <button type="button" className="bare" disabled={busy} onClick={() => onOtherwise(turn)}>
          say otherwise
        </button>
      </p>
    </section>
  );
});

function CameIn({ turn: { sheet } }: { readonly turn: TurnRecord }) {
  const { heard } = sheet;
  if (heard.type === 'start')
    return (
      <p className="handed">
        started at {heard.start?.flow}/{heard.start?.node}
      </p>
    );
  if (heard.type === 'fired')
    return (
      <p className="handed">
        a run of {heard.flow}
        {heard.start !== undefined && `, by the start ${heard.start}`}
      </p>
    );
  if (heard.type === 'hand-back') return <p className="handed">handed back</p>;
  if (heard.type !== 'message') return null;
  const files = (heard.files ?? []).map((f) => f.name);
  return (
    <div className="line visitor">
      <b dir="auto">{heard.name ?? 'Visitor'}</b>
      <div dir="auto">
        {heard.text ?? heard.choice}
        {files.length > 0 && <span className="note"> with {files.join(', ')}</span>}
        <SentPictures pictures={heard.pictures ?? []} />
      </div>
    </div>
  );
}

interface SaidMessageProps {
  readonly message: Message;
  readonly first: boolean;
  readonly off: boolean;
  readonly buttons: boolean;
  readonly onChoice: (words: string, id: string) => void;
}

/** A message of the bot with its buttons; on a channel without buttons they are numbered words. */
export function SaidMessage({ message, first, off, buttons, onChoice }: SaidMessageProps) {
  return (
    <div className="line bot">
      <b>{first ? 'Bot' : ''}</b>
      <div dir="auto">
        {message.wait !== undefined && <span className="note">after {message.wait / 1000} s</span>}
        <Markdown blocks={message.blocks} />
        <Citations cites={message.cites} />
        {message.choices && !buttons && (
          <ol className="aswords">
            {message.choices.map((c) => (
              <li key={c.id}>{c.says}</li>
            ))}
          </ol>
        )}
        {message.choices && buttons && (
          <div className="replies">
            {message.choices.map((choice) => (
              <button key={choice.id} type="button" disabled={off} onClick={() => onChoice(choice.says, choice.id)}>
                {choice.says}
              </button>
            ))}
          </div>
        )}
      </div>
    </div>
  );
}

/** Whether a turn that was said again answers otherwise, and in what. */
function Repeated({ turn, repeats }: { readonly turn: TurnRecord; readonly repeats: TurnRecord }) {
  const found = [...new Set(compareTurns(repeats.sheet, turn.sheet).map(differenceKind))];
  if (found.length === 0) return <p className="again">as before</p>;
  return (
    <p className="again otherwise">
      <b>otherwise</b>: {found.slice(0, 4).join(', ')}
      {found.length > 4 && ` and ${found.length - 4} more`}
    </p>
  );
}
