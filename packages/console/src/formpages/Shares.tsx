import { GALLERY, PAGE_ACCESS, type PageShare } from '@primrose/contract';
import { useState } from 'react';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { Chosen } from './PartDetails.js';

const ACCESS_WORDS = {
  link: 'whoever has the link',
  password: 'whoever knows a password',
  'signed-in': 'people of this service',
} as const;
const GALLERY_WORDS = { none: 'not in the gallery', private: 'for people of this service', public: 'for anybody' } as const;

/** The links under which a page is shared, and what each may cost. */
export function Shares({ page }: { readonly page: string }) {
  const { bot } = useDraftHandle();
  const pages = useCall('listPages', { params: { bot } });
  const [problem, setProblem] = useState<string>();
  const shares = pages.data?.items.find((p) => p.page === page)?.shares ?? [];
  const make = async () => {
    setProblem(undefined);
    try {
      await call('sharePage', { params: { bot, page }, body: {} });
    } catch (error) {
      setProblem(errorText(error));
    }
    invalidate('listPages');
  };
  return (
    <section aria-label="Shared links" className="shares">
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {shares.length === 0 && <p className="empty">Nobody can open this page yet.</p>}
      {shares.map((s) => (
        <OneShare key={s.id} share={s} />
      ))}
      <button type="button" className="btn btn-primary" onClick={() => void make()}>
        Share under a new link
      </button>
      <Frozen page={page} />
    </section>
  );
}

type Change = Parameters<typeof call<'changeShare'>>[1]['body'];

function OneShare({ share }: { readonly share: PageShare }) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const [password, setPassword] = useState('');
  const work = async (does: () => Promise<unknown>) => {
    setProblem(undefined);
    try {
      await does();
    } catch (error) {
      setProblem(errorText(error));
    }
    invalidate('listPages');
  };
  const params = { bot, share: share.id };
  const change = (body: Change) => work(() => call('changeShare', { params, body }));
  const limit = (name: keyof PageShare['limits'], label: string, step = 1) => (
    <label className="fld">
      <span>{label}</span>
      <input
        className="form-control"
        type="number"
        min={step}
        step={step}
        defaultValue={share.limits[name] ?? ''}
        onBlur={(e) => {
          const value = e.target.value === '' ? null : Number(e.target.value);
          if (value !== share.limits[name]) void change({ limits: { [name]: value } });
        }}
      />
    </label>
  );
  const setAccess = (access: string) => {
    if (access === 'password' && password.length < 4)
      return setProblem('Write a password of at least four letters first, then choose it here.');
    void change({ access: access as PageShare['access'], ...(access === 'password' ? { password } : {}) });
  };
  return (
    <article className="share" aria-label={`Link ${share.name}`}>
      <header>
        <a href={share.link} target="_blank" rel="noreferrer" className="code">
          {share.link}
        </a>
        <span className="note">
          {share.release === null ? 'not released yet: release the bot first' : `serves Release ${share.release.number}`}
          {share.on ? '' : ', off'}
        </span>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <div className="sharefields">
        <label className="tick">
          <input
            type="checkbox"
            className="form-check-input"
            checked={share.on}
            onChange={(e) => void change({ on: e.target.checked })}
          />
          on
        </label>
        <Chosen label="Who may open it" value={share.access} of={PAGE_ACCESS} words={ACCESS_WORDS} onChange={setAccess} />
        <label className="fld">
          <span>Password</span>
          <input
            className="form-control"
            type="password"
            autoComplete="new-password"
            placeholder={share.access === 'password' ? 'kept; write another one' : ''}
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            onBlur={() => {
              if (share.access === 'password' && password.length >= 4) void change({ password });
            }}
          />
        </label>
        <Chosen
          label="In the gallery"
          value={share.gallery}
          of={GALLERY}
          words={GALLERY_WORDS}
          onChange={(gallery) => void change({ gallery: gallery as PageShare['gallery'] })}
        />
        <label className="tick">
          <input
            type="checkbox"
            className="form-check-input"
            checked={share.copies}
            onChange={(e) => void change({ copies: e.target.checked })}
          />
          may be copied into other bots
        </label>
        <label className="fld">
          <span>Good until</span>
          <input
            className="form-control"
            type="date"
            defaultValue={share.until?.slice(0, 10) ?? ''}
            onChange={(e) => void change({ until: e.target.value === '' ? null : `${e.target.value}T23:59:59.000Z` })}
          />
        </label>
        {limit('visitor', 'Runs of one visitor a day')}
        {limit('day', 'Runs a day')}
        {limit('budget', 'Budget a day', 0.01)}
      </div>
      <p className="note">
        Today: {share.today.runs} runs, {share.today.tokens} tokens, {share.today.price.toFixed(4)}.
      </p>
      <div className="inrow">
        <button type="button" className="bare" onClick={() => void change({ newLink: true })}>
          give it a new link
        </button>
        <button type="button" className="bare" onClick={() => void work(() => call('endShare', { params }))}>
          take it back
        </button>
      </div>
    </article>
  );
}

/** Results that are kept under links of their own. */
function Frozen({ page }: { readonly page: string }) {
  const { bot } = useDraftHandle();
  const frozen = useCall('listFrozen', { params: { bot, page } });
  const items = frozen.data?.items ?? [];
  if (items.length === 0) return null;
  return (
    <>
      <h3>Kept results</h3>
      <ul className="plain">
        {items.map((f) => (
          <li key={f.id}>
            <a href={f.link} target="_blank" rel="noreferrer" className="code">
              {f.link}
            </a>{' '}
            <span className="note">{f.inputs ? 'with what was filled in' : 'without what was filled in'}</span>{' '}
            <button
              type="button"
              className="bare"
              onClick={() => void call('endFrozen', { params: { bot, frozen: f.id } }).then(() => invalidate('listFrozen'))}
            >
              take back
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
