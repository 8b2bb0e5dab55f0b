import { randomUUID } from 'node:crypto';
import express, { type Express } from 'express';
import { Call, type Done } from './call.js';

const MOST_CALLS = 50;

/** A telephone on a page: calls a number, that is the address of a channel, and speaks in letters. */
export function createPhoneApp(number: string): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '64kb' }));
  const calls = new Map<string, Call>();
  app.post('/calls', async (req, res) => {
    const { caller = '+353155501', language, to } = req.body as { caller?: string; language?: string; to?: string };
    const id = randomUUID();
    const asked = new URLSearchParams({ call: id, caller, ...(language === undefined ? {} : { language }) });
    const call = new Call(`${to ?? number}?${asked.toString()}`);
    calls.set(id, call);
    const [oldest] = calls.keys();
    if (calls.size > MOST_CALLS && oldest !== undefined) calls.delete(oldest);
    try {
      await call.begin();
      res.status(201).json({ call: id, ...call.state });
    } catch (error) {
      res.status(502).json({ trouble: String(error) });
    }
  });
  app.post('/calls/:call', async (req, res) => {
    const call = calls.get(req.params.call);
    if (!call) return void res.status(404).json({ trouble: 'there is no such call' });
    try {
      await call.does(req.body as Done);
      res.json(call.state);
    } catch (error) {
      res.status(502).json({ trouble: String(error), ...call.state });
    }
  });
  app.get('/', (_req, res) => void res.type('html').send(PAGE));
  app.get('/phone.js', (_req, res) => void res.type('text/javascript').send(SCRIPT));
  return app;
}

const PAGE = `<!doctype html><html lang="en"><meta charset="utf-8"><title>Telephone</title><style>body{font:16px/1.5 Georgia,serif;max-width:640px;margin:32px auto;padding:0 16px}ol{list-style:none;padding:0;min-height:200px}li{margin:6px 0}li.me{text-align:right;color:#345}button,input{font:inherit;padding:4px 10px}fieldset{border:1px solid #ccc}</style><h1>Telephone</h1><p>Calls Harbour desk. What it says stands here in letters; write what you say.</p><p><button id="begin">Call</button></p><ol id="log" role="log" aria-label="Call"></ol><fieldset id="talk" disabled><legend>You</legend><form id="say"><input id="words" aria-label="What you say" size="40"> <button>Say</button></form><p>${[1, 2, 3, 4, 5, 6, 7, 8, 9].map((k) => `<button type="button" data-key="${k}">${k}</button>`).join(' ')} <button type="button" id="silence">Say nothing</button> <button type="button" id="end">Hang up</button></p></fieldset><script src="/phone.js"></script></html>`;

const SCRIPT = `
const log = document.getElementById('log'), talk = document.getElementById('talk'), words = document.getElementById('words');
let call, shown = 0;
const line = (text, mine) => { const li = document.createElement('li'); li.textContent = text; if (mine) li.className = 'me'; log.append(li); };
async function post(path, body) {
  const state = await (await fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })).json();
  for (const said of (state.heard || []).slice(shown)) line(said);
  shown = (state.heard || []).length;
  if (state.trouble) line(state.trouble);
  if (state.transferred) line('(handed on to ' + state.transferred + ')');
  if (state.over) line('(the call is over)');
  talk.disabled = !call && !state.call || state.over;
  return state;
}
document.getElementById('begin').onclick = async () => { log.replaceChildren(); shown = 0; call = undefined; call = (await post('/calls', {})).call; };
document.getElementById('say').onsubmit = (e) => { e.preventDefault(); const said = words.value.trim(); words.value = ''; if (said) { line(said, true); void post('/calls/' + call, { as: 'says', words: said }); } };
for (const b of document.querySelectorAll('[data-key]')) b.onclick = () => { line('(key ' + b.dataset.key + ')', true); void post('/calls/' + call, { as: 'presses', key: b.dataset.key }); };
document.getElementById('silence').onclick = () => post('/calls/' + call, { as: 'silence' });
document.getElementById('end').onclick = () => post('/calls/' + call, { as: 'hangs-up' });
`;
