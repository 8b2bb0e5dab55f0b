import type { StagedStart, StartState } from '@primrose/contract';
import { readMarkdown, type Start } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { Markdown } from '../parts/Markdown.js';
import { Copy } from '../parts/Shown.js';

interface StagesProps {
  readonly name: string;
  readonly state: StartState;
  readonly start: Start;
}

/** A start as it stands on this installation: for the draft and for what is live. */
export function Stages({ name, state, start }: StagesProps) {
  return (
    <section className="stages" aria-label="On this installation">
      {state.live ? (
        <Stage name={name} stage="live" staged={state.live} start={start} />
      ) : (
        <p className="note">Not live yet: it comes with the next release.</p>
      )}
      {state.draft && (start.by === 'hook' || start.by === 'call') && (
        <Stage name={name} stage="draft" staged={state.draft} start={start} />
      )}
    </section>
  );
}

interface StageProps {
  readonly name: string;
  readonly stage: 'draft' | 'live';
  readonly staged: StagedStart;
  readonly start: Start;
}

function Stage({ name, stage, staged, start }: StageProps) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const [token, setToken] = useState<string>();
  const [outside, setOutside] = useState(false);
  const params = { bot, start: name, stage };
  const done = () => {
    setProblem(undefined);
    invalidate('listStarts');
  };
  const failed = (error: unknown) => setProblem(errorText(error));
  const needsToken = start.by === 'call' || (start.by === 'hook' && start.secured === 'token');
  const needsKey = start.by === 'hook' && start.secured === 'signature';
  const shown = needsToken ? token : undefined;
  return (
    <div className={`startstage${staged.on ? '' : ' off'}`}>
      <div className="stageline">
        <b>{stage === 'live' ? 'Live' : 'Draft'}</b>
        <label className="soft">
          <input
            type="checkbox"
            checked={staged.on}
            onChange={(e) => void call('setStart', { params, body: { on: e.target.checked } }).then(done, failed)}
          />{' '}
          {staged.on ? 'on' : 'switched off'}
        </label>
        {staged.address !== null && (
          <span className="address">
            <code>{staged.address}</code> <Copy text={staged.address} what={`the address of the ${stage}`} />
          </span>
        )}
        {needsToken && (
          <button
            type="button"
            className="bare note"
            onClick={() => void call('makeStartToken', { params }).then((made) => (setToken(made.token), done()), failed)}
          >
            {staged.secret ? 'make another token' : 'make a token'}
          </button>
        )}
        {staged.address !== null && (
          <button type="button" className="bare note" aria-expanded={outside} onClick={() => setOutside(!outside)}>
            how others use it
          </button>
        )}
      </div>
      {shown !== undefined && (
        <p className="token" role="status">
          <code>{shown}</code> <Copy text={shown} what="the token" /> <span className="note">It is shown this once.</span>
        </p>
      )}
      {needsKey && (
        <SigningKey
          kept={staged.secret}
          onKeep={(signing) => void call('setStart', { params, body: { signing } }).then(done, failed)}
        />
      )}
      {(needsToken || needsKey) && !staged.secret && shown === undefined && (
        <p className="mistake mild">
          Nobody is known here yet: {needsKey ? 'keep the secret' : 'make a token'}, or everything is refused.
        </p>
      )}
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {outside && <Outside name={name} stage={stage} />}
    </div>
  );
}

function SigningKey({ kept, onKeep }: { readonly kept: boolean; readonly onKeep: (secret: string) => void }) {
  const [secret, setSecret] = useState('');
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onKeep(secret);
    setSecret('');
  };
  return (
    <form className="signing" onSubmit={submit}>
      <input
        className="form-control"
        type="password"
        required
        minLength={8}
        autoComplete="off"
        aria-label="Secret with which deliveries are signed"
        placeholder={kept ? 'a secret is kept; type another one' : 'the secret, 8 characters at least'}
        value={secret}
        onChange={(e) => setSecret(e.target.value)}
      />
      <button type="submit" className="btn btn-outline-secondary btn-sm">
        Keep
      </button>
    </form>
  );
}

/** The sheet for somebody outside, as they get it. */
function Outside({ name, stage }: { readonly name: string; readonly stage: 'draft' | 'live' }) {
  const { bot } = useDraftHandle();
  const sheet = useCall('describeStart', { params: { bot, start: name, stage } });
  if (sheet.error) return <Alarm>{errorText(sheet.error)}</Alarm>;
  if (!sheet.data) return null;
  const openapi = JSON.stringify(sheet.data.openapi, null, 2);
  return (
    <div className="outsheet">
      <p className="note">
        For whoever is to use it: the sheet <Copy text={sheet.data.sheet} what="the sheet" />, its command{' '}
        <Copy text={sheet.data.curl} what="the command" />,{' '}
        <a href={`data:application/json;charset=utf-8,${encodeURIComponent(openapi)}`} download={`${name}.openapi.json`}>
          OpenAPI
        </a>
      </p>
      <Markdown blocks={readMarkdown(sheet.data.sheet)} />
    </div>
  );
}
