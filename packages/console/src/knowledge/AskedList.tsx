import type { ProposedQuestionView } from '@primrose/contract';
import { answeredIn } from './answered.js';

interface AskedProps {
  readonly asked: readonly ProposedQuestionView[];
  readonly onAdd: (q: {
    question: string;
    document: string | null;
    heading?: string;
    says?: string;
    origin: 'conversation';
  }) => void;
  /** A question that was decided on. */
  readonly onDone: (question: string) => void;
}

/** What visitors have asked, with what answered it then: whoever knows says whether that was right. */
export function AskedList({ asked, onAdd, onDone }: AskedProps) {
  if (asked.length === 0) return <p className="soft">Nothing was looked up in conversations that is not in the set.</p>;
  const keep = ({ question, document, heading, says }: ProposedQuestionView) => {
    const where = {
      ...(heading === null ? {} : { heading }),
      ...(says === null ? {} : { says }),
    };
    onAdd({ question, document, ...where, origin: 'conversation' });
    onDone(question);
  };
  return (
    <table className="t" aria-label="Asked in conversations">
      <thead>
        <tr>
          <th scope="col">Asked</th>
          <th scope="col" className="num">
            Times
          </th>
          <th scope="col">Was answered from</th>
          <th scope="col">Is that right?</th>
        </tr>
      </thead>
      <tbody>
        {asked.map((q) => (
          <tr key={q.question}>
            <td className="serif" dir="auto">
              {q.question}
            </td>
            <td className="num">{q.times}</td>
            <td className="note">{answeredIn(q)}</td>
            <td>
              <button className="bare" type="button" aria-label={`“${q.question}”: right, keep it so`} onClick={() => keep(q)}>
                right
              </button>{' '}
              {q.document !== null && (
                <button
                  className="bare"
                  type="button"
                  aria-label={`“${q.question}” is not covered`}
                  onClick={() => keep({ ...q, document: null, heading: null, says: null })}
                >
                  not covered
                </button>
              )}{' '}
              <button
                className="bare note"
                type="button"
                aria-label={`Leave “${q.question}” out`}
                onClick={() => onDone(q.question)}
              >
                leave out
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
