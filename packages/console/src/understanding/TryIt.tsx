import { matchFrom, textOf } from '@primrose/core';
import { useEffect, useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Reading, Scores } from '../turn/Understood.js';
import { Alarm } from '../parts/Alarm.js';
import { scoreText } from '../parts/words.js';

type Answer = Awaited<ReturnType<typeof call<'understand'>>>;

const WAIT_MS = 300;

/** A line to try what a text is understood as, by the draft as it is saved. */
export function TryIt() {
  const { document } = useDraftHandle();
  const [text, setText] = useState('');
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const { answer, problem } = useAnswer(text, language);
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
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {answer && text.trim() !== '' && <Found answer={answer} />}
    </section>
  );
}

/** What a text is understood as, a moment after it was typed; the last answer stays until the next has come. */
function useAnswer(
  text: string,
  language: string,
): { readonly answer: Answer | undefined; readonly problem: string | undefined } {
  const { bot, flush, saved } = useDraftHandle();
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
  return { answer, problem };
}

function Found({ answer: { understood, ms } }: { readonly answer: Answer }) {
  const { document } = useDraftHandle();
  const from = matchFrom(document);
  const [best] = understood.intents;
  const roles = Object.entries(best?.roles ?? {});
  return (
    <div role="status">
      <Scores intents={understood.intents} took={best && best.score >= from ? best.intent : undefined} from={from} />
      <p className="note">must reach {scoreText(from)}</p>
      <Reading {...understood} />
      {understood.values.length > 0 && (
        <table className="t">
          <thead className="visually-hidden">
            <tr>
              <th>value</th>
              <th>words</th>
            </tr>
          </thead>
          <tbody>
            {understood.values.map((v, i) => (
              <tr key={i}>
                <td>{v.entity}</td>
                <td>
                  {v.text} = {textOf(v.value)}
                  {v.by !== undefined && <span className="note"> {v.by}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {roles.length > 0 && (
        <p className="note">Its flow would take {roles.map(([role, v]) => `${role} ${textOf(v)}`).join(', ')}.</p>
      )}
      <p className="note">{ms} ms</p>
    </div>
  );
}
