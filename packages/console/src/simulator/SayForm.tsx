import { isEventSample, isHookSample, type SentFile } from '@primrose/core';
import { useRef, useState, type FormEvent, type KeyboardEvent, type RefObject } from 'react';
import { Dropdown } from 'react-bootstrap';
import { errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { OutsideSwitches } from './OutsideSwitches.js';
import type { Simulation } from './interface.js';
import { useSimulation } from './simulation.js';

/** A file of a simulated message goes along whole, so it is kept small. */
const MOST_BYTES = 1_000_000;

interface SayFormProps {
  readonly text: string;
  readonly setText: (text: string) => void;
  readonly field: RefObject<HTMLTextAreaElement | null>;
  readonly onSpeaker: () => void;
}

/** Where the visitor's words are typed, who says them, and where the bot's calls go. */
export function SayForm({ text, setText, field, onSpeaker }: SayFormProps) {
  const { settings, begin, say, stepping, setStepping } = useSimulation();
  const [files, setFiles] = useState<readonly SentFile[]>([]);
  const [problem, setProblem] = useState<string>();
  const submit = (event?: FormEvent) => {
    event?.preventDefault();
    const words = text.trim();
    if (words === '' && files.length === 0) return;
    const pictures = files.filter((f) => f.type.startsWith('image/')).map((f) => f.address);
    const others = files.filter((f) => !f.type.startsWith('image/'));
    setText('');
    setFiles([]);
    say(words, { ...(pictures.length > 0 ? { pictures } : {}), ...(others.length > 0 ? { files: others } : {}) });
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== 'Enter' || event.shiftKey) return;
    event.preventDefault();
    if (event.ctrlKey) begin();
    submit();
  };
  const attach = async (list: FileList | null) => {
    const chosen = [...(list ?? [])];
    const large = chosen.find((f) => f.size > MOST_BYTES);
    if (large) return setProblem(`${large.name} is larger than 1 MB. Attach a smaller one.`);
    setProblem(undefined);
    setFiles([...files, ...(await Promise.all(chosen.map(asSent)))]);
  };
  return (
    <form className="say" onSubmit={submit}>
      <OutsideSwitches />
      {files.length > 0 && (
        <p className="note">
          with {files.map((f) => f.name).join(', ')}{' '}
          <button type="button" className="bare" onClick={() => setFiles([])}>
            without
          </button>
        </p>
      )}
      {problem !== undefined && <p className="plum">{problem}</p>}
      <label className="visually-hidden" htmlFor="say">
        Say something as the visitor
      </label>
      <textarea
        id="say"
        ref={field}
        placeholder="Say something as the visitor"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={onKey}
      />
      <footer>
        <button type="button" className="bare who" onClick={onSpeaker} title="Who is speaking">
          {speakerWords(settings)}
        </button>
        <span className="spring" />
        <label className="steps" title="Pause before each node">
          <input type="checkbox" checked={stepping} onChange={(e) => setStepping(e.target.checked)} /> step
        </label>
        <PlusMenu onAttach={(list) => void attach(list)} onProblem={setProblem} />
        <kbd>Enter</kbd>
      </footer>
    </form>
  );
}

interface PlusProps {
  readonly onAttach: (files: FileList | null) => void;
  readonly onProblem: (problem: string | undefined) => void;
}

/** Files to attach, kept events to say, and samples that answer first. */
function PlusMenu({ onAttach, onProblem }: PlusProps) {
  const { document } = useDraftHandle();
  const { settings, send, fire, change } = useSimulation();
  const picker = useRef<HTMLInputElement>(null);
  const events = Object.entries(document.samples ?? {}).filter(([, s]) => isEventSample(s));
  const bodies = Object.entries(document.samples ?? {}).filter(([, s]) => isHookSample(s));
  const bare = Object.entries(document.starts ?? {}).filter(([, s]) => s.by === 'schedule');
  const named = Object.entries(document.samples ?? {}).filter(([, s]) => 'named' in s);
  const first = settings?.samples ?? [];
  const toggle = (id: string) => {
    const samples = first.includes(id) ? first.filter((s) => s !== id) : [...first, id];
    change({ samples }).then(
      () => onProblem(undefined),
      (error: unknown) => onProblem(errorText(error)),
    );
  };
  return (
    <>
      <input ref={picker} type="file" multiple hidden onChange={(e) => onAttach(e.target.files)} />
      <Dropdown drop="up" align="end">
        <Dropdown.Toggle as="button" type="button" className="bare plus" aria-label="Attach, or say something kept">
          <svg width="12" height="13" viewBox="0 0 12 13" aria-hidden="true">
            <path d="M6 1v11M.8 6.5h10.4" stroke="currentColor" strokeWidth="1.3" />
          </svg>
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item onClick={() => picker.current?.click()}>Attach a file or a picture…</Dropdown.Item>
          {events.length > 0 && <Dropdown.Header>Say something kept</Dropdown.Header>}
          {events.map(([id]) => (
            <Dropdown.Item key={id} onClick={() => send(id)}>
              {id}
            </Dropdown.Item>
          ))}
          {bodies.length + bare.length > 0 && <Dropdown.Header>Set off a start</Dropdown.Header>}
          {bodies.map(([id]) => (
            <Dropdown.Item key={id} onClick={() => send(id)}>
              with {id}
            </Dropdown.Item>
          ))}
          {bare.map(([id]) => (
            <Dropdown.Item key={id} onClick={() => fire(id)}>
              {id}
            </Dropdown.Item>
          ))}
          {named.length > 0 && <Dropdown.Header>Calls that go to samples get first</Dropdown.Header>}
          {named.map(([id]) => (
            <Dropdown.Item key={id} aria-pressed={first.includes(id)} active={first.includes(id)} onClick={() => toggle(id)}>
              {id}
            </Dropdown.Item>
          ))}
        </Dropdown.Menu>
      </Dropdown>
    </>
  );
}

/** Who speaks, on what and when, in few words. */
function speakerWords(settings: Simulation['settings']): string {
  const { speaker, clock } = settings ?? {};
  const who = speaker?.name ?? 'somebody new';
  const on = speaker && speaker.channel !== 'simulator' ? ` on ${speaker.channel}` : '';
  const language = speaker?.language ? `, ${speaker.language}` : '';
  if (!clock) return `as ${who}${on}${language}`;
  const when = new Date(clock.at).toLocaleString([], {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  });
  return `as ${who}${on}${language}, ${clock.runs ? 'from' : 'at'} ${when}`;
}

function asSent(file: File): Promise<SentFile> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    // A data URL is text.
    reader.onload = () =>
      resolve({
        name: file.name,
        type: file.type || 'application/octet-stream',
        size: file.size,
        address: reader.result as string,
      });
    reader.onerror = () => reject(new Error(`${file.name} cannot be read`));
    reader.readAsDataURL(file);
  });
}
