import { dataOf } from './look.js';
import { el } from './render.js';
import './style.css';
import { wordsFor } from './words.js';

/*
 * Where an identity service sends a visitor back to. It signs nobody in: it hands what came to the window that opened it, which is
 * the chat, and the chat shows it to the service with its own key.
 */

interface CameBack {
  readonly grant?: string;
  readonly problem?: string;
}

const { grant, problem } = dataOf<CameBack>() ?? {};
const words = wordsFor(navigator.language);
const opener = window.opener as Window | null;
const place = document.getElementById('back');
if (grant !== undefined && opener) {
  opener.postMessage({ primrose: 'grant', grant }, location.origin);
  window.close();
}
place?.append(el('p', { role: 'status' }, problem ?? (opener ? words.windowDone : words.windowLost)));
