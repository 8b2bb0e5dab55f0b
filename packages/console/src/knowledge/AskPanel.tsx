import { useState, type FormEvent } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { PassageList } from '../parts/PassageList.js';

type Answer = Awaited<ReturnType<typeof call<'askKnowledge'>>>;

/** A question to try on a base of the draft. */
export function AskPanel({ base }: { readonly base: string }) {
  const { bot, flush } = useDraftHandle();
  const [question, setQuestion] = useState('');
  const [answer, setAnswer] = useState<Answer>();
  const [problem, setProblem] = useState<string>();
  const ask = (event: FormEvent) => {
    event.preventDefault();
    if (question.trim() === '') return;
    setProblem(undefined);
    flush()
      .then(() => call('askKnowledge', { params: { bot, knowledge: base }, body: { question } }))
      .then(setAnswer)
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <section aria-label="Try a question">
      <h2>Try a question</h2>
      <form onSubmit={ask}>
        <input
          className="form-control serif"
          aria-label="Question"
          placeholder="Ask something, then Enter"
          value={question}
          onChange={(e) => setQuestion(e.target.value)}
        />
      </form>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {answer && <Answered answer={answer} />}
    </section>
  );
}

function Answered({ answer: { found, ms } }: { readonly answer: Answer }) {
  const mended = Object.entries(found.mended ?? {});
  return (
    <div role="status">
      <p className={found.covered ? 'b' : 'plum'}>
        {found.covered ? 'Covered' : 'Not covered'}
        <span className="note">
          {' '}
          {found.chance !== undefined && `with a chance of ${Math.round(found.chance * 100)} %, `}
          {Math.round(found.share * 100)} % of its words’ weight, {Math.round(ms)} ms
        </span>
      </p>
      {found.missing.length > 0 && <p className="note">In no document: {found.missing.join(', ')}</p>}
      {mended.length > 0 && (
        <p className="note">Taken for misspelt: {mended.map(([said, read]) => `${said} (${read}…)`).join(', ')}</p>
      )}
      {(found.waiting ?? 0) > 0 && <p className="note">{found.waiting} documents are not ready yet and were not looked at</p>}
      <PassageList passages={found.passages} />
    </div>
  );
}
