import type { SourceStateView } from '@primrose/contract';
import { freeId, idOf, SOURCE_TIMES, type KnowledgeSource } from '@primrose/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from 'react-bootstrap';
import { call, errorText, invalidate } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { Alarm } from '../parts/Alarm.js';

const LOOK_AGAIN_MS = 1000;
const TIMES: Readonly<Record<(typeof SOURCE_TIMES)[number], string>> = {
  hour: 'every hour',
  day: 'every day',
  week: 'every week',
};
const timeOf = (every: string): KnowledgeSource['every'] => SOURCE_TIMES.find((t) => t === every);

/** The addresses that documents of a base are fetched from: how far each is, and a form for another one. */
export function Sources({ base }: { readonly base: string }) {
  const { document, bot, edit, flush } = useDraftHandle();
  const [adding, setAdding] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const declared = document.knowledge?.[base]?.sources;
  const { data } = useQuery({
    queryKey: ['listSources', bot, base, declared],
    queryFn: async () => {
      await flush();
      return call('listSources', { params: { bot, knowledge: base } });
    },
    enabled: declared !== undefined,
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.items.some(isOpen) ? LOOK_AGAIN_MS : false),
  });
  const put = (name: string, source: KnowledgeSource | undefined) =>
    edit((d) => {
      const now = d.knowledge?.[base];
      if (!now) return d;
      const { [name]: _old, ...rest } = now.sources ?? {};
      const sources = source ? { ...now.sources, [name]: source } : rest;
      const { sources: _sources, ...others } = now;
      return putPart(d, 'knowledge', base, Object.keys(sources).length > 0 ? { ...now, sources } : others);
    });
  const fetchNow = async (source: string) => {
    setWrong(undefined);
    try {
      await flush();
      await call('fetchSource', { params: { bot, knowledge: base, source } });
    } catch (error) {
      setWrong(errorText(error));
    }
    invalidate('listSources');
  };
  const add = (source: KnowledgeSource) => {
    setAdding(false);
    const { hostname, pathname } = new URL(source.address);
    const name = freeId(declared ?? {}, idOf(`${hostname} ${pathname}`) || 'site');
    put(name, source);
    void fetchNow(name);
  };
  return (
    <section aria-label="Fetched from addresses" className="sources">
      <Button size="sm" variant="outline-secondary" aria-expanded={adding} onClick={() => setAdding(!adding)}>
        Fetch from an address
      </Button>
      {wrong !== undefined && <Alarm>{wrong}</Alarm>}
      {adding && <NewSource onAdd={add} />}
      <ul>
        {Object.entries(declared ?? {}).map(([name, source]) => (
          <li key={name}>
            <SourceLine source={source} at={data?.items.find((s) => s.source === name)} />
            <label className="note">
              read again{' '}
              <select
                className="form-select form-select-sm"
                aria-label={`When ${source.address} is read again`}
                value={source.every ?? ''}
                onChange={(e) => {
                  const { every: _every, ...rest } = source;
                  const every = timeOf(e.target.value);
                  put(name, every === undefined ? rest : { ...rest, every });
                }}
              >
                <TimeOptions />
              </select>
            </label>
            <Button size="sm" variant="outline-secondary" onClick={() => void fetchNow(name)}>
              Fetch now
            </Button>
            <button
              className="bare note"
              type="button"
              aria-label={`No longer fetch ${source.address}`}
              onClick={() => put(name, undefined)}
            >
              no longer
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function TimeOptions() {
  return (
    <>
      <option value="">by hand</option>
      {SOURCE_TIMES.map((t) => (
        <option key={t} value={t}>
          {TIMES[t]}
        </option>
      ))}
    </>
  );
}

const isOpen = ({ state }: SourceStateView): boolean => state === 'waiting' || state === 'fetching';

const moment = (at: string): string => new Date(at).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' });

/** Where it leads, and what came of fetching it last. */
function SourceLine({ source, at }: { readonly source: KnowledgeSource; readonly at: SourceStateView | undefined }) {
  return (
    <div>
      <span className="mono">{source.address}</span>
      <p className={at?.state === 'failed' ? 'plum' : 'note'} role="status">
        {at ? wordsOf(at) : ''}
      </p>
      {at && at.skipped.length > 0 && (
        <details>
          <summary className="note">{at.skipped.length} left out</summary>
          <ul>
            {at.skipped.map((s) => (
              <li key={s.address} className="note">
                <span className="mono">{s.address}</span>: {s.why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

function wordsOf({ state, problem, pages, changed, at, next }: SourceStateView): string {
  const again = next === null ? '' : `, again ${moment(next)}`;
  const last = at === null ? '' : moment(at);
  switch (state) {
    case 'never':
      return 'not fetched yet';
    case 'waiting':
    case 'fetching':
      return 'being fetched…';
    case 'failed':
      return `${last}: ${problem ?? 'it could not be fetched'}${again}`;
    case 'fetched':
      return `${pages} ${pages === 1 ? 'page' : 'pages'}, ${changed} changed, ${last}${again}`;
    default:
      return state satisfies never;
  }
}

function NewSource({ onAdd }: { readonly onAdd: (source: KnowledgeSource) => void }) {
  const [address, setAddress] = useState('');
  const [depth, setDepth] = useState(0);
  const [most, setMost] = useState(50);
  const [every, setEvery] = useState('');
  const good = /^https?:\/\/[^\s/]/.test(address.trim()) && URL.canParse(address.trim());
  const submit = () => {
    const time = timeOf(every);
    const bounds = depth > 0 ? { depth, most: Math.min(500, Math.max(1, most)) } : {};
    onAdd({ address: address.trim(), ...bounds, ...(time === undefined ? {} : { every: time }) });
  };
  return (
    <form
      className="paste"
      onSubmit={(e) => {
        e.preventDefault();
        if (good) submit();
      }}
    >
      <input
        className="form-control"
        type="url"
        aria-label="Address"
        placeholder="https://…"
        value={address}
        onChange={(e) => setAddress(e.target.value)}
      />
      <p className="facts">
        <label className="note">
          Links to follow{' '}
          <select className="form-select form-select-sm" value={depth} onChange={(e) => setDepth(Number(e.target.value))}>
            <option value={0}>none, this page or file only</option>
            {[1, 2, 3, 4, 5].map((n) => (
              <option key={n} value={n}>
                {n === 1 ? '1 link away' : `${n} links away`}
              </option>
            ))}
          </select>
        </label>
        {depth > 0 && (
          <label className="note">
            at most{' '}
            <input
              className="form-control short"
              type="number"
              min={1}
              max={500}
              value={most}
              onChange={(e) => setMost(Number(e.target.value))}
            />{' '}
            pages of the same site
          </label>
        )}
        <label className="note">
          Read again{' '}
          <select className="form-select form-select-sm" value={every} onChange={(e) => setEvery(e.target.value)}>
            <TimeOptions />
          </select>
        </label>
      </p>
      <Button size="sm" type="submit" variant="outline-secondary" disabled={!good}>
        Fetch it
      </Button>
    </form>
  );
}
