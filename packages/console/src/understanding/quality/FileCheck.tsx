import type { QualityReport } from '@primrose/core';
import { useState } from 'react';
import { call, errorText } from '../../api.js';
import { useDraftHandle } from '../../draft/context.js';
import { Alarm } from '../../parts/Alarm.js';
import { plainName, scoreText } from '../../parts/words.js';

const MOST_BYTES = 3_000_000;
const SHOWN = 20;

interface Checked {
  readonly name: string;
  readonly rows: number;
  readonly problems: readonly { readonly line: number; readonly problem: string }[];
  readonly report: QualityReport;
}

/** Measures the draft on a labelled file that the designer brings. */
export function FileCheck() {
  const { bot, flush } = useDraftHandle();
  const [checked, setChecked] = useState<Checked>();
  const [problem, setProblem] = useState<string>();
  const [reading, setReading] = useState(false);
  const check = async (file: File | undefined) => {
    if (!file) return;
    setProblem(undefined);
    if (file.size > MOST_BYTES) return setProblem('The file is larger than 3 MB. Bring a part of it.');
    setReading(true);
    try {
      await flush();
      const answer = await call('judgeFile', { params: { bot }, body: { source: await file.text() } });
      setChecked({ name: file.name, ...answer });
    } catch (error) {
      setProblem(errorText(error));
    } finally {
      setReading(false);
    }
  };
  return (
    <section aria-label="A labelled file">
      <h2>A labelled file</h2>
      <p className="note">
        CSV with a first line <code>text,intent</code>, the intent empty for what means none, or JSON Lines.
      </p>
      <input
        type="file"
        className="form-control"
        aria-label="Labelled file"
        accept=".csv,.jsonl,.ndjson,text/csv"
        disabled={reading}
        onChange={(e) => void check(e.target.files?.[0])}
      />
      {reading && <p className="note">Reading…</p>}
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {checked && <CheckedFile {...checked} />}
    </section>
  );
}

function CheckedFile({ name, rows, problems, report }: Checked) {
  return (
    <div role="status">
      <p>
        <b dir="auto">{name}</b>: {rows} lines, <b>{scoreText(report.accuracy)}</b> read right; at {scoreText(report.threshold)}{' '}
        {report.right} right, {report.wrong} wrong, {report.unanswered} unanswered.
      </p>
      {problems.slice(0, SHOWN).map((p) => (
        <p key={`${p.line} ${p.problem}`} className="mistake">
          {p.line > 0 && `Line ${p.line}: `}
          {p.problem}
        </p>
      ))}
      <ul className="plainlist">
        {report.missed.slice(0, SHOWN).map((m, i) => (
          <li key={i}>
            <span className="it" dir="auto">
              {m.text}
            </span>{' '}
            <span className="note">
              {m.intent === '' ? 'means none' : plainName(m.intent)}, read as {m.read === '' ? 'nothing' : plainName(m.read)}{' '}
              {scoreText(m.score)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
