import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/newsreader/opsz.css';
import type { ChatLook } from '@primrose/contract';
import { Chat } from './chat.js';
import { Host } from './host.js';
import { dataOf, drawLook } from './look.js';
import { KeyStore } from './store.js';
import './style.css';

const channel = location.pathname.split('/').filter(Boolean).at(-1) ?? '';
const look = dataOf<ChatLook>();
const host = new Host();
const query = new URLSearchParams(location.search);
const root = document.getElementById('chat');
document.body.dataset['place'] = host.place;

if (root && query.has('preview')) {
  void import('./preview.js').then(({ preview }) => preview(root));
} else if (root) {
  const language = query.get('language') ?? navigator.language;
  const chat = new Chat({ channel, look, host, keys: new KeyStore(channel, host, look), language });
  drawLook(look);
  chat.mount(root);
  void host.greet({ token: (token) => chat.identify(token), opens: (open) => chat.show(open) }).then((token) => chat.run(token));
}
