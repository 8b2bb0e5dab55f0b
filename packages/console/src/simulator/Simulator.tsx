import type { TurnRecord } from '@primrose/contract';
import { useEffect, useRef, useState, type FormEvent, type KeyboardEvent } from 'react';
import { useDraftHandle } from '../draft/context.js';
import { Markdown } from '../parts/Markdown.js';
import { Citations } from '../parts/Citations.js';
import { Strip } from '../turn/Strip.js';
import { useSimulation } from './simulation.js';

/** The conversation with the draft as a play script, a turn strip under each turn. */
export function Simulator({ onFold }: { readonly onFold: () => void }) {
  const { turns, busy, problem, pending, begin, say, handBack } = useSimulation();
  const handed = turns.at(-1)?.sheet.handed;
  const { bot } = useDraftHandle();
  const [text, setText] = useState('');
  const script = useRef<HTMLDivElement>(null);
  useEffect(() => {
    script.current?.scrollTo({ top: script.current.scrollHeight });
  }, [turns, pending, problem]);
  const send = (event?: FormEvent) => {
    event?.preventDefault();
    const words = text.trim();
    if (words === '') return;
    setText('');
    say(words);
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== 'Enter' || event.shiftKey) return;
    event.preventDefault();
    if (event.ctrlKey) begin();
    send();
  };
  return (
    <aside className="sim" aria-label="Simulator">
      <header>
        <h2>Simulator</h2>
        <span className="note">draft</span>
        <span className="spring" />
        <button className="bare note" type="button" disabled={busy} onClick={() => begin()}>
          start over
        </button>
        <button className="bare" type="button" aria-label="Fold the simulator away" onClick={onFold}>
          <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
            <path d="M9 2.5 4.5 7 9 11.5M2 2v10" fill="none" stroke="currentColor" strokeWidth="1.3" />
          </svg>
        </button>
      </header>
      <div className="script" role="log" aria-label="Conversation with the draft" ref={script}>
        {turns.length === 0 && pending.length === 0 && (
          <div className="empty">
            <p>Say something as the visitor.</p>
            <button className="btn btn-outline-secondary" type="button" disabled={busy} onClick={() => begin()}>
              Let the bot begin
            </button>
          </div>
        )}
        {turns.map((turn, i) => (
          <Turn
            key={turn.number}
            turn={turn}
            last={i === turns.length - 1}
            bot={bot}
            onChoice={(words, id) => say(words, id)}
            busy={busy}
          />
        ))}
        {pending.map((words, i) => (
          <div className="line visitor" key={i}>
            <b>Visitor</b>
            <div dir="auto">{words}</div>
          </div>
        ))}
        {handed && (
          <div className="handedbox">
            <p className="handed">handed over: {handed.reason}</p>
            <button className="btn btn-outline-secondary btn-sm" type="button" disabled={busy} onClick={handBack}>
              Hand back to the bot
            </button>
          </div>
        )}
        {problem !== undefined && (
          <p className="alarm" role="alert">
            {problem}
          </p>
        )}
      </div>
      <form className="say" onSubmit={send}>
        <label className="visually-hidden" htmlFor="say">
          Say something as the visitor
        </label>
        <textarea
          id="say"
          placeholder="Say something as the visitor"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={onKey}
        />
        <footer>
          <span>on the simulator</span>
          <span className="spring" />
          <kbd>Enter</kbd>
        </footer>
      </form>
    </aside>
  );
}

interface TurnProps {
  readonly turn: TurnRecord;
  readonly last: boolean;
  readonly bot: string;
  readonly busy: boolean;
  readonly onChoice: (words: string, id: string) => void;
}

function Turn({ turn, last, bot, busy, onChoice }: TurnProps) {
  const { sheet } = turn;
  return (
    <section className="turn" aria-label={`Turn ${turn.number}`}>
      {sheet.heard.type === 'message' && (
        <div className="line visitor">
          <b>Visitor</b>
          <div dir="auto">{sheet.heard.text ?? sheet.heard.choice}</div>
        </div>
      )}
      {sheet.messages.map((message, i) => (
        <div className="line bot" key={i}>
          <b>{i === 0 ? 'Bot' : ''}</b>
          <div dir="auto">
            {message.wait !== undefined && <span className="note">after {message.wait / 1000} s</span>}
            <Markdown blocks={message.blocks} />
            <Citations cites={message.cites} />
            {message.choices && (
              <div className="replies">
                {message.choices.map((choice) => (
                  <button key={choice.id} type="button" disabled={!last || busy} onClick={() => onChoice(choice.says, choice.id)}>
                    {choice.says}
                  </button>
                ))}
              </div>
            )}
          </div>
        </div>
      ))}
      <Strip turn={turn} shown={last} to={`/bots/${bot}/turns/${turn.number}`} />
    </section>
  );
}
