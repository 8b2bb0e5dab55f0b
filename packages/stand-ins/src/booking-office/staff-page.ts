import { STAFF, type Case } from './cases.js';
import type { Booking, Switches } from './office.js';
import { PORTS, sailingById, VEHICLES } from './timetable.js';

function escape(text: string): string {
  return text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}

function select(name: string, options: readonly string[], chosen: string): string {
  const items = options.map((o) => `<option${o === chosen ? ' selected' : ''}>${o}</option>`).join('');
  return `<select name="${name}" aria-label="${name}">${items}</select>`;
}

function row(b: Booking): string {
  const s = sailingById(b.sailing);
  const trip = s ? `${s.on} ${s.time}, ${PORTS[s.from]} to ${PORTS[s.to]}, ${s.boat}` : b.sailing;
  const form = `f-${b.reference}`;
  const cells = [
    `<b>${b.reference}</b>`,
    escape(trip),
    `<input form="${form}" name="name" aria-label="name" value="${escape(b.name)}">`,
    select('vehicle', VEHICLES, b.vehicle).replace('<select', `<select form="${form}"`),
    String(b.price),
    select('state', ['booked', 'cancelled'], b.state).replace('<select', `<select form="${form}"`),
    `<form id="${form}" method="post" action="/staff/bookings/${b.reference}"><button>Keep</button></form>`,
  ];
  return `<tr class="${b.state}">${cells.map((c) => `<td>${c}</td>`).join('')}</tr>`;
}

function caseRow(c: Case): string {
  const form = `c-${c.number}`;
  const who = ['', ...Object.keys(STAFF)]
    .map((a) => `<option value="${a}"${a === c.assigned ? ' selected' : ''}>${STAFF[a] ?? 'nobody yet'}</option>`)
    .join('');
  const notes = c.notes.map((n) => `<li>${escape(n)}</li>`).join('');
  const cells = [
    `<b>${c.number}</b>`,
    `${escape(c.question)}<br><small>${escape([c.name, c.reach].filter(Boolean).join(', '))}</small>${notes === '' ? '' : `<ul>${notes}</ul>`}`,
    `<select form="${form}" name="assigned" aria-label="assigned">${who}</select>`,
    `<input form="${form}" name="note" aria-label="note" placeholder="a note for us">`,
    `<input form="${form}" name="answer" aria-label="answer" placeholder="what they are told" value="${escape(c.answer)}">`,
    select('state', ['open', 'resolved'], c.state === 'resolved' ? 'resolved' : 'open').replace(
      '<select',
      `<select form="${form}"`,
    ),
    `<form id="${form}" method="post" action="/staff/cases/${c.number}"><button>Keep</button></form>`,
  ];
  return `<tr class="${c.state}">${cells.map((cell) => `<td>${cell}</td>`).join('')}</tr>`;
}

function caseTable(cases: readonly Case[]): string {
  const head = ['Case', 'Question', 'Seen to by', 'Note', 'Answer', 'State', ''].map((h) => `<th>${h}</th>`).join('');
  const body = cases.length > 0 ? [...cases].reverse().map(caseRow).join('') : '<tr><td colspan="7">No cases yet.</td></tr>';
  return `<h2>Cases</h2><table><thead><tr>${head}</tr></thead><tbody>${body}</tbody></table>`;
}

const STYLE = `body{font:15px/1.5 system-ui,sans-serif;max-width:960px;margin:32px auto;padding:0 16px;color:#1d2b33;background:#f4f7f8}
h1{font-size:22px;margin:0}h2{font-size:17px;margin:28px 0 6px}ul{margin:4px 0 0;padding-left:18px}p{margin:4px 0 20px;color:#51626b}table{border-collapse:collapse;width:100%;background:#fff}
th,td{text-align:left;padding:6px 8px;border-bottom:1px solid #dbe3e6}tr.cancelled td,tr.resolved td{color:#7c8a91}tr.cancelled td{text-decoration:line-through}
input,select,button{font:inherit;padding:2px 6px}fieldset{margin-top:28px;border:1px solid #c8d3d8;display:flex;gap:16px;align-items:end;flex-wrap:wrap}label{display:block}`;

/** The page on which the office's staff see and edit bookings and cases, and set the office to misbehave. */
export function staffPage(bookings: readonly Booking[], cases: readonly Case[], s: Switches): string {
  const head = ['Reference', 'Sailing', 'Name', 'Brings', 'Pounds', 'State', ''].map((h) => `<th>${h}</th>`).join('');
  const body = bookings.length > 0 ? [...bookings].reverse().map(row).join('') : '<tr><td colspan="7">No bookings yet.</td></tr>';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Booking office</title><style>${STYLE}</style>
<h1>Booking office</h1><p>Marrow Sound Ferries, staff only. This office is made up and stands in for a real one.</p>
<table><thead><tr>${head}</tr></thead><tbody>${body}</tbody></table>
${caseTable(cases)}
<form method="post" action="/staff/switches"><fieldset><legend>Exercises</legend>
<label>Wait before answering, ms<br><input name="delay_ms" type="number" min="0" max="60000" value="${s.delay_ms}"></label>
<label>Fail<br>${select('fail', ['none', 'next', 'always'], s.fail)}</label>
<label>Odd answers<br>${select('odd', ['none', 'not-json', 'wrong-shape', 'empty'], s.odd)}</label><button>Set</button></fieldset></form></html>`;
}
