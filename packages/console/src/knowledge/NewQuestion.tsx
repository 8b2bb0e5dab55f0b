import { useState, type FormEvent } from 'react';
import { Button } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';

interface NewQuestionProps {
  readonly base: string;
  readonly onAdd: (question: { question: string; document: string | null; heading?: string; origin: 'hand' }) => void;
}

/** A question for the evaluation set, by hand. */
export function NewQuestion({ base, onAdd }: NewQuestionProps) {
  const { document } = useDraftHandle();
  const [question, setQuestion] = useState('');
  const [answers, setAnswers] = useState('');
  const [heading, setHeading] = useState('');
  const documents = Object.entries(document.knowledge?.[base]?.documents ?? {});
  const add = (event: FormEvent) => {
    event.preventDefault();
    if (question.trim() === '') return;
    onAdd({
      question: question.trim(),
      document: answers === '' ? null : answers,
      ...(heading.trim() === '' || answers === '' ? {} : { heading: heading.trim() }),
      origin: 'hand',
    });
    setQuestion('');
  };
  return (
    <section aria-label="New question">
      <h2>New question</h2>
      <form onSubmit={add}>
        <input
          className="form-control serif"
          aria-label="Question of the set"
          placeholder="As a visitor asks it"
          value={question}
          onChange={(e) => setQuestion(e.target.value)}
        />
        <div className="fld">
          <label htmlFor="answers">Answered in</label>
          <select id="answers" className="form-select" value={answers} onChange={(e) => setAnswers(e.target.value)}>
            <option value="">nothing: it is not covered</option>
            {documents.map(([id, d]) => (
              <option key={id} value={id}>
                {d.title ?? id}
              </option>
            ))}
          </select>
        </div>
        {answers !== '' && (
          <div className="fld">
            <label htmlFor="under">Under the heading</label>
            <input
              id="under"
              className="form-control"
              placeholder="anywhere in it"
              value={heading}
              onChange={(e) => setHeading(e.target.value)}
            />
          </div>
        )}
        <Button size="sm" type="submit" variant="outline-secondary">
          Add to the set
        </Button>
      </form>
    </section>
  );
}
