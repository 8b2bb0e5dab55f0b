import { readRehearsal, writeRehearsal, type Rehearsal, type TextProblem } from '@primrose/core';
import { useState } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { TextProblems } from './TextProblems.js';
import { plainName } from '../parts/words.js';
import { useLastRun } from './run.js';

/** One rehearsal as its file reads; what is typed is kept in the draft as soon as it can be read. */
export function RehearsalEditor({ id, rehearsal }: { readonly id: string; readonly rehearsal: Rehearsal }) {
  const { bot, edit } = useDraftHandle();
  const run = useLastRun(bot);
  const navigate = useNavigate();
  const [text, setText] = useState(() => writeRehearsal(rehearsal));
  const [problems, setProblems] = useState<readonly TextProblem[]>([]);
  const result = run?.items.find((i) => i.rehearsal === id);
  const type = (words: string) => {
    setText(words);
    const read = readRehearsal(words);
    setProblems(read.ok ? [] : read.problems);
    if (read.ok) edit((d) => ({ ...d, rehearsals: { ...d.rehearsals, [id]: read.rehearsal } }));
  };
  const remove = () => {
    edit((d) => {
      const { [id]: _gone, ...rest } = d.rehearsals ?? {};
      const { rehearsals: _all, ...without } = d;
      return Object.keys(rest).length === 0 ? without : { ...d, rehearsals: rest };
    });
    void navigate(`/bots/${bot}/rehearsals`);
  };
  return (
    <main className="page">
      <header className="rehearsalbar">
        <h2>{plainName(id)}</h2>
        <span className="note">rehearsals/{id}.yaml</span>
        <span className="spring" />
        {result && !result.off && (
          <Link className={result.passed ? 'b' : 'plum'} to={`/bots/${bot}/rehearsals${result.passed ? '' : `/${id}/turns/1`}`}>
            {result.passed ? 'passed' : 'failed'}
          </Link>
        )}
        <label className="soft">
          <input
            type="checkbox"
            checked={rehearsal.off ?? false}
            onChange={(e) => {
              const { off: _off, ...on } = rehearsal;
              const now = e.target.checked ? { ...on, off: true } : on;
              edit((d) => ({ ...d, rehearsals: { ...d.rehearsals, [id]: now } }));
              setText(writeRehearsal(now));
            }}
          />{' '}
          off
        </label>
        <Button variant="outline-secondary" size="sm" onClick={remove}>
          Delete
        </Button>
        <Link to={`/bots/${bot}/rehearsals`}>All rehearsals</Link>
      </header>
      <textarea
        className="form-control code yaml"
        aria-label={`Text of the rehearsal ${id}`}
        rows={30}
        spellCheck={false}
        value={text}
        onChange={(e) => type(e.target.value)}
      />
      <TextProblems problems={problems} />
    </main>
  );
}
