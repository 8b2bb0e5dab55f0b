/*
 * The frame in which a page of somebody's shows a web chat, and the script that the page bears talk by messages (docs/web-chat.md).
 * Nothing that is said in the chat is among them.
 */

/** How the chat stands: a page of its own, in a place of another page, or as a bubble over it. */
export type Place = 'page' | 'inline' | 'bubble';

/** What the page tells the frame. */
type FromHost =
  | {
      readonly primrose: 'hello';
      readonly token?: string | null;
      readonly signsIn?: boolean;
      /** The page can keep a key for the frame, and what it has kept. */
      readonly keeps?: boolean;
      readonly kept?: string | null;
    }
  | { readonly primrose: 'token'; readonly token: string | null }
  | { readonly primrose: 'open' | 'close' };

/** What the frame tells the page. */
type ToHost =
  | { readonly primrose: 'ready' }
  | { readonly primrose: 'size'; readonly open: boolean; readonly width: number; readonly height: number; readonly side: string }
  | { readonly primrose: 'unread'; readonly count: number }
  | { readonly primrose: 'sign-in' }
  | { readonly primrose: 'keep'; readonly key: string | null };

export interface HostEvents {
  /** Who the page says that its user is; null for nobody any more. */
  readonly token: (token: string | null) => void;
  readonly opens: (open: boolean) => void;
}

const HELLO_MS = 4000;

/** The page around the frame; with none around it, nobody is told anything. */
export class Host {
  readonly place: Place;
  /** The page can have its user sign in. */
  signsIn = false;
  /** The page can keep a key for us, where our own storage is closed to us inside it; and what it has kept. */
  keeps = false;
  kept: string | undefined;
  readonly #window: Window | undefined;

  constructor() {
    const wanted = new URLSearchParams(location.search).get('as');
    this.#window = window.parent === window ? undefined : window.parent;
    this.place = this.#window && (wanted === 'bubble' || wanted === 'inline') ? wanted : 'page';
  }

  /** Says that the frame is here, and resolves with what the page says first: a token, if it has one. */
  greet(events: HostEvents): Promise<string | null> {
    if (!this.#window) return Promise.resolve(null);
    return new Promise((resolve) => {
      let waits = true;
      const late = setTimeout(() => ((waits = false), resolve(null)), HELLO_MS);
      addEventListener('message', ({ source, data }: MessageEvent<FromHost | null>) => {
        if (source !== this.#window || typeof data !== 'object' || data === null) return;
        if (data.primrose === 'hello') {
          clearTimeout(late);
          this.signsIn = data.signsIn === true;
          this.keeps = data.keeps === true;
          if (typeof data.kept === 'string') this.kept = data.kept;
          const token = typeof data.token === 'string' ? data.token : null;
          if (waits) resolve(token);
          else if (token !== null) events.token(token);
          waits = false;
        }
        if (data.primrose === 'token') events.token(typeof data.token === 'string' ? data.token : null);
        if (data.primrose === 'open' || data.primrose === 'close') events.opens(data.primrose === 'open');
      });
      this.tell({ primrose: 'ready' });
    });
  }

  /** Has the page keep a key for us, or none any more. */
  keep(key: string | null): void {
    this.kept = key ?? undefined;
    this.tell({ primrose: 'keep', key });
  }

  tell(message: ToHost): void {
    // Nothing in it is worth hiding, so it need not be known whose page it is.
    this.#window?.postMessage(message, '*');
  }
}
