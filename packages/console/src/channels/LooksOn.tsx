import type { Channel } from '@primrose/contract';
import { readMarkdown, sampleText, shownOn, type Message, type Text } from '@primrose/core';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

interface LooksProps {
  readonly says: Text | undefined;
  readonly speech?: Text | undefined;
  readonly choices?: readonly { readonly id: string; readonly says: Text }[];
  readonly language: string;
}

/** How a message looks on each of the bot's channels: what cannot be shown there becomes what can. */
export function LooksOn({ says, speech, choices = [], language }: LooksProps) {
  const { bot } = useDraftHandle();
  const channels = useCall('listChannels', { params: { bot } });
  const [chosen, setChosen] = useState('');
  const items = (channels.data?.items ?? []).filter((c) => c.kind !== 'page');
  const channel = items.find((c) => c.id === chosen) ?? items[0];
  const text = sampleText(says ?? '', language);
  if (!channel || text.trim() === '') return null;
  const message: Message = {
    text,
    blocks: readMarkdown(text),
    ...(speech === undefined ? {} : { speech: sampleText(speech, language) }),
    ...(choices.length === 0 ? {} : { choices: choices.map((c) => ({ id: c.id, says: sampleText(c.says, language) })) }),
  };
  return (
    <div className="fld lookson">
      <div className="lab">
        <span>Looks on</span>
        <Form.Select
          size="sm"
          aria-label="Channel on which it is shown"
          value={channel.id}
          onChange={(e) => setChosen(e.target.value)}
        >
          {items.map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
            </option>
          ))}
        </Form.Select>
      </div>
      <ShownOn channel={channel} message={message} language={language} />
    </div>
  );
}

/** A message in the parts in which a channel shows it. */
export function ShownOn({
  channel,
  message,
  language,
}: {
  readonly channel: Pick<Channel, 'ability'>;
  readonly message: Message;
  readonly language: string;
}) {
  const parts = shownOn(channel.ability, message, language);
  return (
    <ol className="shownparts">
      {parts.map((part, i) => (
        <li key={i}>
          <span dir="auto">{part.text}</span>
          {part.choices.map((c) => (
            <span key={c.id} className="shownbutton">
              {c.says}
            </span>
          ))}
          {part.links.map((l) => (
            <span key={l.opens} className="shownbutton">
              {l.says}
            </span>
          ))}
          {part.pictures.map((p) => (
            <span key={p} className="note mono">
              picture {p}
            </span>
          ))}
        </li>
      ))}
    </ol>
  );
}
