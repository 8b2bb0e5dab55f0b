import type { InboxItem, StaffMember } from '@primrose/contract';
import { useRef, useState, type FormEvent, type KeyboardEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, useCall } from '../api.js';
import type { Doing } from './doing.js';

const TYPING_EVERY_MS = 3000;

interface AnswerFormProps {
  readonly params: { readonly bot: string; readonly conversation: string };
  readonly item: InboxItem;
  readonly me: StaffMember;
  /** The last line that stands above. */
  readonly seen: number;
  readonly doing: Doing;
}

/** What was written and not yet said, by conversation: whoever looks into another meanwhile finds it again. */
const unsaid = new Map<string, string>();

/** Where staff answer, hand back, and close. What was not said stays in the field. */
export function AnswerForm({ params, item, me, seen, doing }: AnswerFormProps) {
  const [text, setText] = useState(unsaid.get(item.id) ?? '');
  // The same words sent again after a broken line are the same answer.
  const id = useRef(crypto.randomUUID());
  const told = useRef(-Infinity);
  const canned = useCall('listCanned', { params: { bot: params.bot } });
  const theirs = item.staff !== null && item.staff.id !== me.id;
  const write = (next: string) => {
    setText(next);
    unsaid.set(item.id, next);
    const now = performance.now();
    if (next === '' || theirs || now - told.current < TYPING_EVERY_MS) return;
    told.current = now;
    void call('typeAsStaff', { params }).catch(() => undefined);
  };
  const clear = (done: boolean) => {
    if (!done) return;
    setText('');
    unsaid.delete(item.id);
    id.current = crypto.randomUUID();
  };
  const answer = () => {
    if (text.trim() === '' || doing.busy) return;
    void doing.run(call('answerConversation', { params, body: { id: id.current, text, seen } })).then(clear);
  };
  const send = (event: FormEvent) => {
    event.preventDefault();
    answer();
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== 'Enter' || !(event.ctrlKey || event.metaKey)) return;
    event.preventDefault();
    answer();
  };
  const close = () => {
    const last = text.trim() === '' ? {} : { text };
    void doing.run(call('closeConversation', { params, body: { id: id.current, ...last } })).then(clear);
  };
  const { items = [] } = canned.data ?? {};
  return (
    <form className="answer" onSubmit={send}>
      <textarea
        className="form-control"
        rows={3}
        maxLength={4000}
        aria-label="Answer as staff"
        placeholder={theirs ? `${item.staff?.name ?? ''} has this conversation` : 'Answer as staff; the bot is silent'}
        value={text}
        onChange={(e) => write(e.target.value)}
        onKeyDown={onKey}
      />
      <div className="acts">
        <Button type="submit" disabled={doing.busy || theirs || text.trim() === ''} title="Ctrl+Enter">
          Answer
        </Button>
        {items.length > 0 && (
          <Form.Select
            aria-label="Canned words"
            value=""
            onChange={(e) => {
              const found = items.find((c) => c.id === e.target.value);
              if (found) write(text.trim() === '' ? found.text : `${text.trimEnd()} ${found.text}`);
            }}
          >
            <option value="">canned words…</option>
            {items.map((c) => (
              <option key={c.id} value={c.id}>
                {c.title}
              </option>
            ))}
          </Form.Select>
        )}
        <span className="spring" />
        <Button
          variant="outline-secondary"
          disabled={doing.busy || theirs}
          onClick={() => void doing.run(call('handBack', { params }))}
        >
          Hand back to the bot
        </Button>
        <Button variant="outline-secondary" disabled={doing.busy || theirs} onClick={close}>
          {text.trim() === '' ? 'Close' : 'Say this and close'}
        </Button>
      </div>
    </form>
  );
}
