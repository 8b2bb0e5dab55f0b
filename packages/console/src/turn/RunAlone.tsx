import type { ModelTried } from '@primrose/contract';
import { isCall, messagesOf, type ModelCall, type ModelEffect, type ModelMessage, type Performed } from '@primrose/core';
import { useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { duration } from '../parts/words.js';
import { WantedCalls } from './WantedCalls.js';

interface RunAloneProps {
  readonly effect: ModelCall;
  /** All calls of the turn: a step of an agent goes on from those before it. */
  readonly all: readonly Performed[];
  /** Hands on what came of it, to be kept as a sample. */
  readonly onCame: (effect: ModelCall) => void;
}

/** All that a model was shown: a step that refers to earlier ones is put together from them. */
export function wholeMessages({ request }: ModelCall, all: readonly Performed[]): readonly ModelMessage[] {
  const { earlier } = request;
  if (!earlier) return messagesOf(request);
  const before = all.filter((e): e is ModelCall => isCall('model', e));
  const at = before.findIndex((e) => e.request.path === request.path);
  const known: ModelMessage[] = [];
  for (const { request: r } of before.slice(0, at)) {
    const from = r.earlier?.messages ?? 0;
    if (from <= known.length) known.splice(from, known.length, ...r.messages);
  }
  return [...known.slice(0, earlier.messages), ...request.messages];
}

/** One step of a model is run alone: as it was, or with other words, as often as one likes. */
export function RunAlone({ effect, all, onCame }: RunAloneProps) {
  const { bot, flush } = useDraftHandle();
  const messages = wholeMessages(effect, all);
  const [open, setOpen] = useState(false);
  const [texts, setTexts] = useState<readonly string[]>(() => messages.map((m) => m.content));
  const [came, setCame] = useState<ModelTried>();
  const [problem, setProblem] = useState<string>();
  const [busy, setBusy] = useState(false);
  if (!open)
    return (
      <button type="button" className="bare note" onClick={() => setOpen(true)}>
        run this step alone
      </button>
    );
  const { earlier: _earlier, before: _before, ...bare } = effect.request;
  const request: ModelEffect = { ...bare, messages: messages.map((m, i) => ({ ...m, content: texts[i] ?? m.content })) };
  const run = () => {
    setBusy(true);
    setProblem(undefined);
    flush()
      .then(() => call('tryModel', { params: { bot, model: request.profile }, body: { request: request } }))
      .then((tried) => {
        setCame(tried);
        if (!tried.ok) return;
        const stopped = tried.calls.length > 0 ? 'calls' : 'end';
        const calls = tried.calls.length > 0 ? { calls: tried.calls } : {};
        onCame({ request, result: { outcome: 'written', text: tried.text ?? '', ...calls, stopped, tokens: tried.tokens } });
      })
      .catch((error: unknown) => setProblem(errorText(error)))
      .finally(() => setBusy(false));
  };
  return (
    <div className="runalone">
      {messages.map((m, i) => (
        <label key={i} className="fld">
          <span className="lab">{m.role}</span>
          <textarea
            className="form-control"
            rows={Math.min(8, Math.max(2, Math.ceil((texts[i] ?? '').length / 70)))}
            value={texts[i] ?? ''}
            dir="auto"
            onChange={(e) => setTexts(texts.map((t, j) => (i === j ? e.target.value : t)))}
          />
        </label>
      ))}
      <button type="button" className="btn btn-outline-secondary btn-sm" disabled={busy} onClick={run}>
        {busy ? 'Asking…' : 'Run'}
      </button>{' '}
      <button type="button" className="bare note" onClick={() => setOpen(false)}>
        leave it
      </button>
      <div role="status">
        {problem !== undefined && <p className="plum">{problem}</p>}
        {came?.ok === false && <p className="plum">It did not answer: {came.reason}.</p>}
        {came?.ok === true && (
          <div className="rep" dir="auto">
            {came.text}
            <WantedCalls calls={came.calls} />
            <span className="note">
              {duration(came.ms)}
              {came.tokens && `, ${came.tokens.in} in, ${came.tokens.out} out`}
            </span>
          </div>
        )}
      </div>
    </div>
  );
}
