import { memoryNoteWords, textOf, type TurnSheet } from '@primrose/core';
import { plainName, timeOfDay } from '../parts/words.js';

/** What became of facts in a turn, and what is known of the visitor after it. */
export function KeptInMind({ sheet }: { readonly sheet: TurnSheet }) {
  const { memory = [], known = [] } = sheet;
  if (memory.length + known.length === 0) return null;
  return (
    <section>
      <h2>Kept in mind</h2>
      {memory.length > 0 && (
        <ul className="list-unstyled">
          {memory.map((note, i) => (
            <li key={i} dir="auto" data-memory={note.did}>
              {memoryNoteWords(note)}
            </li>
          ))}
        </ul>
      )}
      {known.length > 0 && (
        <table className="table-grid">
          <tbody>
            {known.map((f, i) => (
              <tr key={i}>
                <td className="it">{plainName(f.about)}</td>
                <td dir="auto">{f.says}</td>
                <td>{typeof f.value === 'boolean' ? (f.value ? 'yes' : 'no') : textOf(f.value)}</td>
                <td className="note">{f.lasts === 'now' ? 'for now' : `since ${timeOfDay(f.at)}`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
