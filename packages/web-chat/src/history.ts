import { ChatProblem, type Connection } from './connection.js';
import { mine, theirs } from './lines.js';
import { el } from './render.js';
import type { Words } from './words.js';

/** The visitor's conversations before this one, each to be read. `close` leads back to the conversation. */
export async function drawHistory(
  connection: Connection,
  words: Words,
  language: string,
  close: () => void,
): Promise<HTMLElement> {
  const list = el('div', { class: 'list' });
  const back = el('button', { type: 'button', class: 'link' }, words.back);
  const box = el('section', { class: 'history', 'aria-label': words.history }, back, el('h2', {}, words.history), list);
  back.addEventListener('click', close);
  const day = new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeStyle: 'short' });
  const tell = (error: unknown) => (error instanceof ChatProblem ? error.message : words.unreachable);
  const open = async (id: string, name: string) => {
    const lines = await connection.pastLines(id);
    const log = lines.map((line) => (line.who === 'visitor' ? mine(line) : theirs(line, words)));
    list.replaceChildren(el('div', { class: 'log', tabindex: '0', role: 'region', 'aria-label': name }, ...log));
  };
  try {
    const past = await connection.past();
    if (past.length === 0) list.append(el('p', { class: 'note' }, words.noHistory));
    for (const { id, at, said } of past) {
      const when = el('time', { datetime: at }, day.format(new Date(at)));
      const button = el('button', { type: 'button' }, el('span', { dir: 'auto' }, said ?? ''), when);
      button.addEventListener(
        'click',
        () =>
          void open(id, `${said ?? ''} ${day.format(new Date(at))}`.trim()).catch((error: unknown) =>
            list.replaceChildren(tell(error)),
          ),
      );
      list.append(button);
    }
  } catch (error) {
    list.append(el('p', { class: 'problem', role: 'alert' }, tell(error)));
  }
  return box;
}
