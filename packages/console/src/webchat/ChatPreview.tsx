import type { ChatLook, ChatSettings, WebChat } from '@primrose/contract';
import { legibleColours } from '@primrose/core';
import { useEffect, useRef, useState } from 'react';
import { Form } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';

interface ChatPreviewProps {
  readonly chat: WebChat;
  readonly settings: ChatSettings;
}

/** The chat as it looks with the settings above, before they are saved; nobody talks in it. */
export function ChatPreview({ chat, settings }: ChatPreviewProps) {
  const { document } = useDraftHandle();
  const frame = useRef<HTMLIFrameElement>(null);
  const [open, setOpen] = useState(true);
  const [language, setLanguage] = useState(document.languages[0] ?? 'en');
  const [ready, setReady] = useState(0);
  const { words, accent, ground, theme, logo, side, files, history, feedback, signIn } = settings;
  const look: ChatLook = {
    name: document.name,
    words,
    colours: legibleColours({ accent: accent ?? undefined, ground: ground ?? undefined }),
    theme,
    logo,
    side,
    files,
    history,
    feedback,
    signIn: { mail: signIn.mail, service: signIn.service?.name ?? null, host: chat.keys.length > 0 },
  };
  const told = JSON.stringify({ primrose: 'preview', look, open, language });
  useEffect(() => {
    frame.current?.contentWindow?.postMessage(JSON.parse(told), location.origin);
  }, [told, ready]);
  useEffect(() => {
    const onMessage = ({ source, origin }: MessageEvent) => {
      if (origin === location.origin && source === frame.current?.contentWindow) setReady((n) => n + 1);
    };
    addEventListener('message', onMessage);
    return () => removeEventListener('message', onMessage);
  }, []);
  const { pathname } = new URL(chat.link);
  return (
    <aside className="chatpreview" aria-label="Preview">
      <div className="inrow">
        <Form.Check id="preview-open" label="open" checked={open} onChange={(e) => setOpen(e.target.checked)} />
        <Form.Select size="sm" aria-label="Preview in" value={language} onChange={(e) => setLanguage(e.target.value)}>
          {[...new Set([...document.languages, ...Object.keys(words).filter((l) => l !== 'any'), 'ar'])].map((l) => (
            <option key={l} value={l}>
              {l}
            </option>
          ))}
        </Form.Select>
      </div>
      <iframe ref={frame} title="Preview of the chat" src={`${pathname}?preview`} />
    </aside>
  );
}
