import type { TurnRecord } from '@primrose/contract';
import { followersOf, wordsIn } from '@primrose/core';
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';
import { Branches } from './Branches.js';
import { LiveTurnPart } from './LiveTurn.js';
import { PausedPart } from './PausedPart.js';
import { SayForm } from './SayForm.js';
import { ScriptTurn } from './ScriptTurn.js';
import { useSimulation } from './simulation.js';
import { SimulationsDialog } from './SimulationsDialog.js';
import { SpeakerDialog } from './SpeakerDialog.js';
import { Alarm } from '../parts/Alarm.js';

/** Its library for the text form weighs as much as the rest, so it comes when it is asked for. */
const KeepDialog = lazy(async () => ({ default: (await import('./KeepDialog.js')).KeepDialog }));

/** Turns at the end of the script that are always drawn. */
const DRAWN = 12;

type Opened = 'speaker' | 'list' | 'keep' | 'name';

/** The conversation with the draft as a play script, a turn strip under each turn. */
export function Simulator({ onFold }: { readonly onFold: () => void }) {
  const { settings, turns, pending, problem, live, paused, backTo } = useSimulation();
  const [text, setText] = useState('');
  const [opened, setOpened] = useState<Opened>();
  const script = useRef<HTMLDivElement>(null);
  const field = useRef<HTMLTextAreaElement>(null);
  const close = () => setOpened(undefined);
  useEffect(() => {
    script.current?.scrollTo({ top: script.current.scrollHeight });
  }, [turns, pending, problem, live, paused]);
  const onOtherwise = useCallback(
    (turn: TurnRecord) => {
      backTo(turn.parent);
      setText(wordsIn(turn.sheet.heard));
      field.current?.focus();
    },
    [backTo],
  );
  return (
    <aside className="sim" aria-label="Simulator">
      <Head onOpen={setOpened} onFold={onFold} />
      <div className="script" role="log" aria-label="Conversation with the draft" tabIndex={0} ref={script}>
        {opened === 'name' && <NameField onClose={close} />}
        <Script onOtherwise={onOtherwise} />
        <UnderWay />
      </div>
      <SayForm text={text} setText={setText} field={field} onSpeaker={() => setOpened('speaker')} />
      {opened === 'speaker' && <SpeakerDialog onClose={close} />}
      {opened === 'list' && <SimulationsDialog onClose={close} />}
      {opened === 'keep' && (
        <Suspense fallback={null}>
          <KeepDialog turns={turns} called={settings?.name ?? null} onClose={close} />
        </Suspense>
      )}
    </aside>
  );
}

function Head({ onOpen, onFold }: { readonly onOpen: (what: Opened) => void; readonly onFold: () => void }) {
  const { settings, busy, begin } = useSimulation();
  return (
    <header>
      <h2>Simulator</h2>
      <span className="note name" dir="auto">
        {settings?.name ?? 'draft'}
      </span>
      <span className="spring" />
      <button className="bare note" type="button" disabled={busy} onClick={begin}>
        start over
      </button>
      <Menu onOpen={onOpen} />
      <button className="bare" type="button" aria-label="Fold the simulator away" onClick={onFold}>
        <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
          <path d="M9 2.5 4.5 7 9 11.5M2 2v10" fill="none" stroke="currentColor" strokeWidth="1.3" />
        </svg>
      </button>
    </header>
  );
}

/** The turns that were run, of the line that is shown. */
function Script({ onOtherwise }: { readonly onOtherwise: (turn: TurnRecord) => void }) {
  const { bot } = useDraftHandle();
  const { settings, all, turns, shown, busy, pending, live, paused, begin, say, switchTo, show } = useSimulation();
  const onChoice = useCallback((words: string, id: string) => say(words, { choice: id }), [say]);
  const followers = useMemo(() => followersOf(all), [all]);
  const byId = useMemo(() => new Map(all.map((t) => [t.id, t])), [all]);
  return (
    <>
      <Branches all={all} head={turns.at(-1)?.id} onSwitch={switchTo} />
      {turns.length === 0 && pending.length === 0 && !live && !paused && (
        <div className="empty">
          <p>
            {all.length === 0 ? 'Say something as the visitor.' : 'Before the first turn. Say something else, or take a branch.'}
          </p>
          <button className="btn btn-outline-secondary" type="button" disabled={busy} onClick={begin}>
            Let the bot begin
          </button>
        </div>
      )}
      {turns.map((turn, i) => (
        <ScriptTurn
          key={turn.id}
          turn={turn}
          last={i === turns.length - 1 && !paused}
          shown={turn.id === shown?.id}
          sheetAt={`/bots/${bot}/simulations/${turn.conversation}/${turn.id}`}
          busy={busy}
          far={i < turns.length - DRAWN}
          buttons={settings?.speaker.buttons ?? true}
          siblings={followers.get(turn.parent) ?? []}
          repeats={turn.again === null ? undefined : byId.get(turn.again)}
          onChoice={onChoice}
          onOtherwise={onOtherwise}
          onSwitch={switchTo}
          onShow={show}
        />
      ))}
    </>
  );
}

/** What is not a turn yet: words on their way, the turn that runs or pauses; and what stands in the way. */
function UnderWay() {
  const { settings, turns, busy, problem, pending, live, paused, handBack, stop } = useSimulation();
  const handed = turns.at(-1)?.sheet.handed;
  return (
    <>
      {pending.map((words, i) => (
        <div className="line visitor" key={i}>
          <b>{settings?.speaker.name ?? 'Visitor'}</b>
          <div dir="auto">{words}</div>
        </div>
      ))}
      {live && <LiveTurnPart live={live} onStop={stop} />}
      {!live && paused && <PausedPart key={`${paused.turn} ${paused.record.sheet.path.length}`} paused={paused} />}
      {handed && (
        <div className="handedbox">
          <p className="handed">handed over: {handed.reason}</p>
          <button className="btn btn-outline-secondary btn-sm" type="button" disabled={busy} onClick={handBack}>
            Hand back to the bot
          </button>
        </div>
      )}
      {problem !== undefined && <Alarm>{problem}</Alarm>}
    </>
  );
}

/** What else can be done with the conversation. */
function Menu({ onOpen }: { readonly onOpen: (what: Opened) => void }) {
  const { bot } = useDraftHandle();
  const { settings, turns, busy, sayAgain } = useSimulation();
  const [copied, setCopied] = useState('Copy a link to it');
  const link = () => {
    const address = `${location.origin}/bots/${bot}/simulations/${settings?.id ?? ''}`;
    if (isSecureContext) void navigator.clipboard.writeText(address).then(() => setCopied('The link is copied'));
    else setCopied(address);
  };
  return (
    <Dropdown align="end" onToggle={() => setCopied('Copy a link to it')}>
      <Dropdown.Toggle as="button" className="bare note">
        more
      </Dropdown.Toggle>
      <Dropdown.Menu className="flowmenu" renderOnMount popperConfig={{ strategy: 'fixed' }}>
        <Dropdown.Item disabled={busy || turns.length === 0} onClick={sayAgain}>
          Say all again
        </Dropdown.Item>
        <Dropdown.Item disabled={turns.length === 0} onClick={() => onOpen('keep')}>
          Keep as rehearsal…
        </Dropdown.Item>
        <Dropdown.Item onClick={() => onOpen('speaker')}>Who is speaking…</Dropdown.Item>
        <Dropdown.Divider />
        <Dropdown.Item disabled={turns.length === 0} onClick={() => onOpen('name')}>
          Name this conversation…
        </Dropdown.Item>
        <Dropdown.Item
          disabled={turns.length === 0}
          onClick={(e) => {
            e.stopPropagation();
            link();
          }}
        >
          {copied}
        </Dropdown.Item>
        <Dropdown.Item onClick={() => onOpen('list')}>Other conversations…</Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}

function NameField({ onClose }: { readonly onClose: () => void }) {
  const { settings, change } = useSimulation();
  const name = (words: string) => {
    onClose();
    void change({ name: words.trim() === '' ? null : words.trim() });
  };
  return (
    <input
      className="form-control mb-2"
      autoFocus
      aria-label="Name of this conversation"
      defaultValue={settings?.name ?? ''}
      onKeyDown={(e) => {
        if (e.key === 'Enter') name(e.currentTarget.value);
        if (e.key === 'Escape') onClose();
      }}
    />
  );
}
