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
const language = new URLSearchParams(location.search).get('language') ?? navigator.language;
const chat = new Chat({ channel, look, host, keys: new KeyStore(channel, host), language });
const root = document.getElementById('chat');
document.body.dataset['place'] = host.place;
drawLook(look);
if (root) chat.mount(root);
void host.greet({ token: (token) => chat.identify(token), opens: (open) => chat.show(open) }).then((token) => chat.run(token));
