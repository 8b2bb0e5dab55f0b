import type { ChatSettings, WebChat } from '@primrose/contract';
import { useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { Link, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Serves } from '../messenger/Serves.js';
import { Alarm } from '../parts/Alarm.js';
import { timeOfDay } from '../parts/words.js';
import { ChatLookFields } from './ChatLookFields.js';
import { ChatPreview } from './ChatPreview.js';
import { ChatWordsFields } from './ChatWordsFields.js';
import { SignInFields } from './SignInFields.js';
import { TokenKeys } from './TokenKeys.js';

/** A web chat: how it looks and what it offers, where it may stand and how it comes there, and how visitors sign in. */
export default function WebChatPage() {
  const { bot } = useDraftHandle();
  const { channel = '' } = useParams();
  const chat = useCall('getWebChat', { params: { bot, channel } });
  if (chat.error) return <main className="page">{errorText(chat.error)}</main>;
  if (!chat.data) return <main className="page" />;
  return <Opened key={chat.data.id} chat={chat.data} />;
}

function Opened({ chat }: { readonly chat: WebChat }) {
  const { bot } = useDraftHandle();
  const [settings, setSettings] = useState<ChatSettings>(chat.settings);
  const [secret, setSecret] = useState('');
  const [problem, setProblem] = useState<string>();
  const params = { bot, channel: chat.id };
  const run = (work: Promise<unknown>): Promise<boolean> =>
    work.then(
      () => {
        setProblem(undefined);
        invalidate('getWebChat', 'listChannels', 'listChannelEvents');
        return true;
      },
      (error: unknown) => {
        setProblem(errorText(error));
        return false;
      },
    );
  const changed = JSON.stringify(settings) !== JSON.stringify(chat.settings) || secret !== '';
  const save = () => {
    const body = { ...settings, ...(secret === '' ? {} : { serviceSecret: secret }) };
    void run(call('setWebChat', { params, body })).then((done) => done && setSecret(''));
  };
  const set = (more: Partial<ChatSettings>) => setSettings({ ...settings, ...more });
  return (
    <main className="page webchat">
      <header>
        <h2>{chat.name}</h2>
        <Link to={`/bots/${bot}/channels`} className="note">
          all channels
        </Link>
        <span className="spring" />
        <Button disabled={!changed} onClick={save}>
          {changed ? 'Save' : 'Saved'}
        </Button>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <div className={`onoff${chat.on ? '' : ' off'}`}>
        <Form.Check
          type="switch"
          id="on"
          aria-label={`${chat.name} is ${chat.on ? 'on' : 'off'}`}
          checked={chat.on}
          onChange={(e) => void run(call('updateChannel', { params, body: { on: e.target.checked } }))}
        />
        <b>{chat.on ? 'On' : 'Switched off'}</b>
        <span>
          {chat.live === null ? 'Nothing is released yet, so visitors cannot open it.' : `Visitors get Release ${chat.live} now.`}
        </span>
        <span className="spring" />
        <Serves channel={chat} onChange={(serves) => void run(call('updateChannel', { params, body: { serves } }))} />
      </div>
      <div className="webchatcols">
        <div>
          <Tags chat={chat} />
          <ChatWordsFields settings={settings} set={set} />
          <ChatLookFields settings={settings} set={set} />
          <SignInFields chat={chat} settings={settings} set={set} secret={secret} setSecret={setSecret} />
          <TokenKeys chat={chat} run={run} />
          <Refusals bot={bot} channel={chat.id} />
        </div>
        <ChatPreview chat={chat} settings={settings} />
      </div>
    </main>
  );
}

/** How the chat comes into a page: one tag, and what the page's content policy has to allow. */
function Tags({ chat }: { readonly chat: WebChat }) {
  const { origin } = new URL(chat.link);
  const policy = `script-src ${origin}; frame-src ${origin}`;
  const rows = [
    ['As a bubble over a page', chat.tags.bubble],
    ['In a place of a page', chat.tags.inline],
    ['A page of its own', chat.link],
    ['What a strict content policy has to allow', policy],
  ] as const;
  return (
    <section aria-label="Into a page">
      <h3>Into a page</h3>
      <dl className="tags">
        {rows.map(([label, text]) => (
          <div key={label}>
            <dt>
              {label}{' '}
              <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(text)}>
                copy
              </button>
            </dt>
            <dd className="mono">{text.startsWith('http') ? <a href={text}>{text}</a> : text}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** Tokens that were not believed, with why. */
function Refusals({ bot, channel }: { readonly bot: string; readonly channel: string }) {
  const events = useCall('listChannelEvents', { params: { bot, channel } });
  const items = (events.data?.items ?? []).filter((e) => e.outcome === 'refused');
  if (items.length === 0) return null;
  return (
    <section aria-label="What was refused">
      <h3>What was refused</h3>
      <ul className="rows">
        {items.slice(0, 10).map((e) => (
          <li key={e.id}>
            <span>{e.about}</span>
            <span className="note">
              {e.times > 1 && `${e.times} times, last `}
              {timeOfDay(e.at)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
