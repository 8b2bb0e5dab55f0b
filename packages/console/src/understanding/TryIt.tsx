import { textOf } from '@primrose/core';
import { useEffect, useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Scores } from '../turn/Understood.js';

type Answer = Awaited<ReturnType<typeof call<'understand'>>>;

const WAIT_MS = 300;

/** A line to try what a text is understood as, by the draft as it is saved. */
export function TryIt() {
  const { bot, document, flush, saved } = useDraftHandle();
  const [text, setText] = useState('');
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const [answer, setAnswer] = useState<Answer>();
  const [problem, setProblem] = useState<string>();
  useEffect(() => {
    if (text.trim() === '') return;
    let late = false;
    const timer = setTimeout(() => {
      void (async () => {
        try {
          await flush();
          const found = await call('understand', { params: { bot }, body: { text, language } });
          if (late) return;
          setAnswer(found);
          setProblem(undefined);
        } catch (error) {
          if (!late) setProblem(errorText(error));
        }
      })();
    }, WAIT_MS);
    return () => {
      late = true;
      clearTimeout(timer);
    };
  }, [text, language, bot, flush, saved.revision]);
  const shown = text.trim() === '' ? undefined : answer;
  const [best] = shown?.understood.intents ?? [];
  return (
    <section aria-label="Try it">
      <h2>Try it</h2>
      <input
        className="form-control serif"
        aria-label="Say something to try"
        placeholder="Say something to try"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {document.languages.length > 1 && (
        <div className="langs" role="group" aria-label="Language of what is tried">
          {document.languages.map((l) => (
            <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
              {l}
            </button>
          ))}
        </div>
      )}
      {problem !== undefined && (
        <p className="alarm" role="alert">
          {problem}
        </p>
      )}
      {shown && (
        <div role="status">
          <Scores intents={shown.understood.intents} took={best && best.score >= 0.5 ? best.intent : undefined} />
          {shown.understood.values.length > 0 && (
            <table className="t">
              <thead className="visually-hidden">
                <tr>
                  <th>value</th>
                  <th>words</th>
                </tr>
              </thead>
              <tbody>
                {shown.understood.values.map((v, i) => (
                  <tr key={i}>
                    <td>{v.entity}</td>
                    <td>
                      {v.text} = {textOf(v.value)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {best && Object.keys(best.roles).length > 0 && (
            <p className="note">
              Its flow would take{' '}
              {Object.entries(best.roles)
                .map(([role, v]) => `${role} ${textOf(v)}`)
                .join(', ')}
              .
            </p>
          )}
          <p className="note">{shown.ms} ms</p>
        </div>
      )}
    </section>
  );
}
