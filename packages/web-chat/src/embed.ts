/*
 * The script that puts a web chat into a page of anybody's: <script src="https://…/chat.js" data-chat="ADDRESS"></script>. It makes a frame
 * of ours and places it; nothing else is fetched, written or kept. Styles are set by script, so that a page's content policy needs to name our
 * origin for scripts and frames only.
 */
(() => {
  interface Chat {
    readonly tell: (message: object) => void;
  }
  interface Api {
    readonly chats: Map<string, Chat>;
    readonly open: () => void;
    readonly close: () => void;
    readonly signIn: (token: string) => void;
    readonly signOut: () => void;
  }
  const holder = window as unknown as { primroseChat?: Api };
  const script = (document.currentScript ?? document.querySelector('script[data-chat]')) as HTMLScriptElement | null;
  if (!script) return;
  const complain = (words: string): void => console.error(`Primrose web chat: ${words}`);
  const options = script.dataset;
  const base = script.src.replace(/\/chat\.js.*$/, '');
  const address = (options['chat'] ?? '').split(/[?#]/)[0]?.split('/').filter(Boolean).at(-1) ?? '';
  if (!/^[\w-]{4,80}$/.test(address))
    return complain('data-chat has to hold the address of a chat. Copy the tag from the channel’s page.');
  const as = options['as'] === 'inline' ? 'inline' : 'bubble';
  const where = options['in'];
  const all = (message: object): void => holder.primroseChat?.chats.forEach((chat) => chat.tell(message));
  const api: Api = (holder.primroseChat ??= {
    chats: new Map(),
    open: () => all({ primrose: 'open' }),
    close: () => all({ primrose: 'close' }),
    signIn: (token) => all({ primrose: 'token', token }),
    signOut: () => all({ primrose: 'token', token: null }),
  });
  // The same tag twice is one chat.
  const id = `${address} ${as} ${where ?? ''}`;
  if (api.chats.has(id)) return;

  const frame = document.createElement('iframe');
  const origin = new URL(base).origin;
  const language = options['language'] ?? document.documentElement.lang;
  const query = new URLSearchParams({ as, ...(language === '' ? {} : { language }) });
  const source = `${base}/chat/${address}?${query}`;
  const style = (values: Readonly<Record<string, string>>): void => {
    for (const [name, value] of Object.entries(values)) frame.style.setProperty(name, value, 'important');
  };
  frame.title = options['title'] ?? 'Chat';
  frame.allow = 'clipboard-write; microphone';
  let ready = false;
  const tell = (message: object): void => {
    if (ready) frame.contentWindow?.postMessage(message, origin);
  };
  api.chats.set(id, { tell });

  /** The token of the page's user: as it stands in the tag, or from an address of the page's own, which may answer that there is nobody. */
  const token = async (): Promise<string | null> => {
    const from = options['tokenFrom'];
    if (from === undefined) return options['token'] ?? null;
    try {
      const response = await fetch(from, { credentials: 'same-origin', headers: { accept: 'text/plain' } });
      const text = response.ok ? (await response.text()).trim() : '';
      return text === '' ? null : text;
    } catch {
      return null;
    }
  };
  /** The page keeps the key of a visitor whom nobody knows, for browsers that close our own storage to the frame. */
  const KEPT = `primrose-chat-${address}`;
  const keeping = <T>(work: () => T): T | undefined => {
    try {
      return work();
    } catch {
      return undefined;
    }
  };
  const hello = async (): Promise<void> => {
    const held = await token();
    ready = true;
    const kept = keeping(() => localStorage.getItem(KEPT));
    tell({ primrose: 'hello', token: held, signsIn: options['signIn'] !== undefined, keeps: kept !== undefined, kept });
  };

  const RETRY_MS = [8000, 20_000, 60_000];
  const FULL_BELOW = 480;
  let tries = 0;
  let patience = 0;
  const load = (): void => {
    ready = false;
    frame.src = tries === 0 ? source : `${source}&try=${tries}`;
    patience = window.setTimeout(late, RETRY_MS[Math.min(tries, RETRY_MS.length - 1)]);
    tries += 1;
  };
  const late = (): void => {
    complain(`${origin} does not answer, or does not let this page show the chat. It is tried again.`);
    load();
  };
  /** Where the bubble stands: over the page, in a corner; on a small screen, open, all of it. */
  let size = { open: false, width: 56, height: 56, side: 'end' };
  const placeBubble = (): void => {
    const rtl = getComputedStyle(document.documentElement).direction === 'rtl';
    const right = (size.side === 'end') !== rtl;
    const full = size.open && window.innerWidth <= FULL_BELOW;
    const [width, height] = size.open ? [400, Math.min(680, window.innerHeight - 32)] : [size.width, size.height];
    style({
      position: 'fixed',
      'z-index': '2147483000',
      border: '0',
      'border-radius': full ? '0' : size.open ? '6px' : '28px',
      'box-shadow': full ? 'none' : '0 2px 14px rgb(0 0 0 / 25%)',
      'color-scheme': 'normal',
      'max-width': 'none',
      'max-height': 'none',
      width: full ? '100%' : `${Math.min(width, window.innerWidth - 24)}px`,
      height: full ? '100%' : `${height}px`,
      bottom: full ? '0' : '16px',
      right: full ? '0' : right ? '16px' : 'auto',
      left: full ? '0' : right ? 'auto' : '16px',
      visibility: ready ? 'visible' : 'hidden',
    });
  };
  const title = document.title;
  addEventListener('message', ({ source: from, origin: at, data }: MessageEvent<Record<string, unknown> | null>) => {
    if (from !== frame.contentWindow || at !== origin || typeof data !== 'object' || data === null) return;
    if (data['primrose'] === 'ready') {
      clearTimeout(patience);
      void hello().then(() => as === 'bubble' && placeBubble());
    }
    if (data['primrose'] === 'size' && as === 'bubble') {
      const number = (name: string, most: number): number => Math.max(40, Math.min(most, Number(data[name]) || 56));
      size = {
        open: data['open'] === true,
        width: number('width', 320),
        height: number('height', 80),
        side: data['side'] === 'start' ? 'start' : 'end',
      };
      placeBubble();
    }
    if (data['primrose'] === 'unread' && options['unread'] !== undefined) {
      const count = Number(data['count']) || 0;
      document.title = count > 0 ? `(${count}) ${title}` : title;
    }
    if (data['primrose'] === 'keep') {
      const { key } = data;
      keeping(() =>
        typeof key === 'string' && key.length < 100 ? localStorage.setItem(KEPT, key) : localStorage.removeItem(KEPT),
      );
    }
    // What signing in means is the page's affair.
    if (data['primrose'] === 'sign-in') {
      const asked = document.dispatchEvent(new CustomEvent('primrose-sign-in', { cancelable: true }));
      if (asked && options['signIn']) location.assign(options['signIn']);
    }
  });

  const place = (): void => {
    if (as === 'bubble') {
      placeBubble();
      window.addEventListener('resize', placeBubble);
      document.body.append(frame);
      return load();
    }
    const target = where === undefined ? undefined : document.querySelector(where);
    if (target === null) return complain(`nothing on this page fits data-in="${where ?? ''}".`);
    style({ border: '0', width: '100%', height: options['height'] ?? '560px', 'color-scheme': 'normal', display: 'block' });
    if (target) target.append(frame);
    else script.after(frame);
    load();
  };
  if (document.body && (as === 'inline' && where === undefined ? script.isConnected : document.readyState !== 'loading')) place();
  else addEventListener('DOMContentLoaded', place, { once: true });
})();
