import { SHEET_TYPES, type SheetReport } from '@primrose/contract';
import type { TableDeclaration } from '@primrose/core';
import { useRef, useState, type ChangeEvent } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { errorText, upload } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

const [CSV, XLSX] = SHEET_TYPES;
const SHOWN = 12;

interface ImportProps {
  readonly name: string;
  readonly declared: TableDeclaration;
  readonly onClose: (changed: boolean) => void;
}

interface Chosen {
  readonly file: File;
  readonly bytes: Uint8Array<ArrayBuffer>;
}

/** Rows from a file: first what would come of it, column by column and line by line, then for good. */
export function ImportDialog({ name, declared, onClose }: ImportProps) {
  const { bot } = useDraftHandle();
  const [chosen, setChosen] = useState<Chosen>();
  const [columns, setColumns] = useState<Readonly<Record<string, string | null>>>({});
  const [byKey, setByKey] = useState(declared.key !== undefined);
  const [report, setReport] = useState<SheetReport>();
  const [problem, setProblem] = useState<string>();
  const asked = useRef(0);
  const ask = async (of: Chosen, more: { columns?: typeof columns; byKey?: boolean; carryOut?: boolean } = {}) => {
    const { columns: which = columns, byKey: key = byKey, carryOut = false } = more;
    const query = {
      import: carryOut ? ('true' as const) : ('false' as const),
      skip: carryOut ? ('true' as const) : ('false' as const),
      ...(key ? { key: 'change' as const } : {}),
      columns: JSON.stringify(which),
    };
    const type = /\.xlsx$/i.test(of.file.name) ? XLSX : CSV;
    const number = ++asked.current;
    try {
      const came = await upload('importTable', { params: { bot, table: name }, query }, { bytes: of.bytes, type });
      // Something else was asked meanwhile, and its answer counts.
      if (number !== asked.current && !came.imported) return;
      setProblem(undefined);
      setReport(came);
      if (came.imported) onClose(true);
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  const choose = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    if (!file) return;
    const next = { file, bytes: new Uint8Array(await file.arrayBuffer()) };
    setChosen(next);
    setColumns({});
    await ask(next, { columns: {} });
  };
  const match = (heading: string, column: string) => {
    const next = { ...columns, [heading]: column === '' ? null : column };
    setColumns(next);
    const to = (m: SheetReport['matches'][number]) => (m.heading === heading ? { ...m, column: column || null } : m);
    setReport((before) => before && { ...before, matches: before.matches.map(to) });
    if (chosen) void ask(chosen, { columns: next });
  };
  const rows = (report?.added ?? 0) + (report?.changed ?? 0);
  return (
    <Modal show onHide={() => onClose(false)} aria-labelledby="import-rows" size="lg">
      <Modal.Header closeButton>
        <Modal.Title id="import-rows">Import into {declared.title ?? name}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <input
          type="file"
          className="form-control"
          aria-label="A CSV or XLSX file"
          accept=".csv,.xlsx,.txt"
          onChange={(e) => void choose(e)}
        />
        {declared.key !== undefined && (
          <label className="soft mt-2">
            <input
              type="checkbox"
              checked={byKey}
              onChange={(e) => {
                setByKey(e.target.checked);
                if (chosen) void ask(chosen, { byKey: e.target.checked });
              }}
            />{' '}
            change rows of the same {declared.key.join(' and ')}
          </label>
        )}
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        {report && <Report report={report} declared={declared} onMatch={match} />}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => onClose(false)}>
          Leave it
        </Button>
        <Button disabled={!chosen || rows === 0} onClick={() => chosen && void ask(chosen, { carryOut: true })}>
          {report && report.problemLines > 0
            ? `Import ${rows} and leave ${report.problemLines} out`
            : `Import ${rows === 1 ? '1 row' : `${rows} rows`}`}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

function Report({
  report,
  declared,
  onMatch,
}: {
  readonly report: SheetReport;
  readonly declared: TableDeclaration;
  readonly onMatch: (heading: string, column: string) => void;
}) {
  return (
    <div role="status">
      <p className="mt-3 mb-1">
        {report.lines} {report.lines === 1 ? 'line' : 'lines'}: {report.added} new, {report.changed} changed, {report.same} as
        they are
        {report.problemLines > 0 && <b className="plum">, {report.problemLines} with something wrong</b>}
      </p>
      <table className="table-grid">
        <thead>
          <tr>
            <th>In the file</th>
            <th>goes to</th>
          </tr>
        </thead>
        <tbody>
          {report.matches.map((m) => (
            <tr key={m.at}>
              <td dir="auto">{m.heading || <span className="note">without a heading</span>}</td>
              <td>
                <select
                  className="form-select"
                  aria-label={`${m.heading} goes to`}
                  value={m.column ?? ''}
                  onChange={(e) => onMatch(m.heading, e.target.value)}
                >
                  <option value="">nowhere{m.suggestion === null ? '' : ` (${m.suggestion}?)`}</option>
                  {Object.keys(declared.columns).map((c) => (
                    <option key={c}>{c}</option>
                  ))}
                </select>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {report.missing.length > 0 && <p className="note">Not in the file: {report.missing.join(', ')}</p>}
      {report.problems.length > 0 && (
        <ul className="sheetproblems">
          {report.problems.slice(0, SHOWN).map((p, i) => (
            <li key={i} className="plum">
              line {p.line}: {p.column} {p.reason}
            </li>
          ))}
          {report.problems.length > SHOWN && <li className="note">and {report.problems.length - SHOWN} more</li>}
        </ul>
      )}
    </div>
  );
}
