const STYLE = `body{font:14px/1.45 system-ui,sans-serif;margin:0;padding:20px;color:#22303a;background:#e6ebe9}
h1{font-size:20px;margin:0}header p{margin:2px 0 16px;color:#4c5b63}main{display:flex;gap:20px;flex-wrap:wrap}
.phone{width:300px;background:#fdfefe;border:8px solid #2c3a40;border-radius:22px;display:flex;flex-direction:column;height:600px}
.phone h2{font-size:15px;margin:0;padding:10px 12px;border-bottom:1px solid #d3dcda}.phone h2 small{font-weight:400;color:#5d6b72}
.log{flex:1;overflow-y:auto;padding:10px 12px}.log p{margin:0 0 8px;white-space:pre-wrap;overflow-wrap:anywhere}
.log .person{border-inline-start:3px solid #3d7a8c;padding-inline-start:8px}.log .desk{border-inline-start:3px solid #a1663a;padding-inline-start:8px}
.log img{max-width:100%}.log button{margin:2px 6px 2px 0}button{font:inherit;padding:4px 10px;border:1px solid #7d8c93;background:#fff;border-radius:6px}
button:hover{background:#eef4f2}form{display:flex;gap:6px;padding:8px;border-top:1px solid #d3dcda}input{flex:1;min-width:0;font:inherit;padding:4px 8px;border:1px solid #7d8c93;border-radius:6px}
.room{background:#fbfaf4}.room select{font:inherit;border:1px solid #7d8c93;border-radius:6px}.log a{display:inline-block;margin:2px 6px 2px 0;padding:4px 10px;border:1px solid #7d8c93;border-radius:6px;color:inherit}.log b{display:block;font-weight:600}
.writing{color:#5d6b72;font-style:italic;min-height:20px;padding:0 12px}`;

/** The page with the phones. */
export function phonesPage(): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Gullpost</title><style>${STYLE}</style>
<header><h1>Gullpost</h1><p>A made-up messenger with made-up people and rooms; it stands in for a real one. <span id="state"></span></p></header>
<main id="phones"></main><script src="/phones.js"></script></html>`;
}

/** Draws the phones and keeps them up to date. */
export const PHONE_SCRIPT = `
const main = document.getElementById('phones');
const el = (name, props = {}, ...inside) => { const e = Object.assign(document.createElement(name), props); e.append(...inside); return e; };
const post = (path, body) => fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }).then(draw);
const send = (number, body) => post('/phones/' + number, body);
const phones = new Map();
// A picture from this machine, handed on as soon as it is chosen.
function attach(label, to) {
  const file = el('input', { type: 'file', hidden: true, onchange: () => {
    const reader = new FileReader();
    reader.onload = () => to(reader.result);
    if (file.files[0]) reader.readAsDataURL(file.files[0]);
    file.value = '';
  } });
  return [file, el('button', { type: 'button', textContent: '+', ariaLabel: label, onclick: () => file.click() })];
}
function phone(p) {
  const log = el('div', { className: 'log', role: 'log', ariaLabel: 'Letters of ' + p.given });
  const writing = el('div', { className: 'writing' });
  const input = el('input', { ariaLabel: 'Write as ' + p.given, placeholder: 'Write as ' + p.given });
  const form = el('form', { onsubmit: (e) => { e.preventDefault(); if (input.value.trim()) send(p.number, { words: input.value }); input.value = ''; } }, input, ...attach('Send a picture as ' + p.given, (picture) => send(p.number, { picture })), el('button', { textContent: 'Send' }));
  const title = el('h2', {}, p.given + ' ' + p.family + ' ', el('small', { textContent: p.number }));
  main.append(el('section', { className: 'phone', ariaLabel: p.given }, title, log, writing, form));
  return { log, writing, shown: 0 };
}
function room(r) {
  const log = el('div', { className: 'log', role: 'log', ariaLabel: 'Letters in ' + r.title });
  const writing = el('div', { className: 'writing' });
  const who = el('select', { ariaLabel: 'Who writes in ' + r.title }, ...r.people.map((p) => el('option', { value: p.number, textContent: p.given })));
  const input = el('input', { ariaLabel: 'Write in ' + r.title, placeholder: 'Write in the room' });
  const form = el('form', { onsubmit: (e) => { e.preventDefault(); if (input.value.trim()) post('/rooms/' + r.id, { from: who.value, words: input.value }); input.value = ''; } }, who, input, ...attach('Send a picture to ' + r.title, (picture) => post('/rooms/' + r.id, { from: who.value, picture })), el('button', { textContent: 'Send' }));
  main.append(el('section', { className: 'phone room', ariaLabel: r.title }, el('h2', {}, r.title + ' ', el('small', { textContent: r.id })), log, writing, form));
  return { log, writing, shown: 0 };
}
async function draw() {
  const state = await (await fetch('/phones')).json();
  document.getElementById('state').textContent = state.connected ? 'A desk is connected.' : 'No desk is connected yet.';
  for (const p of [...state.phones, ...state.rooms]) {
    const id = p.number || p.id;
    if (!phones.has(id)) phones.set(id, p.number ? phone(p) : room(p));
    const view = phones.get(id);
    view.writing.textContent = p.writing ? 'is writing' : '';
    for (const l of p.letters.slice(view.shown)) {
      const line = el('p', { className: l.by }, ...(l.name ? [el('b', { textContent: l.name })] : []), l.words);
      for (const link of l.links || []) line.append(el('br'), el('a', { href: link.url, textContent: link.label, rel: 'noreferrer' }));
      for (const src of l.pictures) line.append(el('img', { src, alt: 'a picture' }));
      if (l.picks.length) line.append(el('br'), ...l.picks.map((b) => el('button', { type: 'button', textContent: b.label, onclick: () => send(p.number, { pick: b }) })));
      view.log.append(line);
      view.log.scrollTop = view.log.scrollHeight;
    }
    view.shown = p.letters.length;
  }
}
draw(); setInterval(draw, 500);
`;
