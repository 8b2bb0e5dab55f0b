import type { Release } from '@primrose/contract';
import { useState } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { SettingsTabs } from '../parts/Tabs.js';
import { Alarm } from '../parts/Alarm.js';

/** What making a release live asks first. */
type Wanted = { readonly kind: 'live'; readonly release: Release } | { readonly kind: 'back' };

/** The releases: which is live, what differs, and the way back. */
export default function ReleasesPage() {
  const { bot } = useDraftHandle();
  const releases = useCall('listReleases', { params: { bot }, query: { limit: 200 } });
  const [wanted, setWanted] = useState<Wanted>();
  const [done, setDone] = useState<string>();
  const items = releases.data?.items ?? [];
  return (
    <main className="page">
      <header>
        <h2>Releases</h2>
        <Button variant="outline-secondary" disabled={items.length < 2} onClick={() => setWanted({ kind: 'back' })}>
          Roll back…
        </Button>
      </header>
      <SettingsTabs />
      {releases.error && <Alarm>{errorText(releases.error)}</Alarm>}
      {done !== undefined && <p role="status">{done}</p>}
      {items.length === 0 && <p className="soft">None yet. The button at the top makes the first one.</p>}
      <table className="table-grid">
        <tbody>
          {items.map((r) => (
            <tr key={r.number}>
              <td>
                Release {r.number} {r.live && <span className="livemark">live</span>}
              </td>
              <td dir="auto">
                {r.note}
                {r.despite !== null && <p className="note">although rehearsals failed: {r.despite}</p>}
              </td>
              <td className="note">
                {new Date(r.at).toLocaleString()}, {r.by}
              </td>
              <td className="note">
                {r.open === 0 ? '' : r.open === 1 ? '1 open conversation' : `${r.open} open conversations`}
              </td>
              <td>
                {!r.live && (
                  <Button size="sm" variant="outline-secondary" onClick={() => setWanted({ kind: 'live', release: r })}>
                    Make live…
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {items.length > 0 && <Compare releases={items} />}
      {wanted && (
        <LiveDialog
          wanted={wanted}
          onClose={(words) => {
            setWanted(undefined);
            if (words !== undefined) setDone(words);
          }}
        />
      )}
    </main>
  );
}

function LiveDialog({ wanted, onClose }: { readonly wanted: Wanted; readonly onClose: (done?: string) => void }) {
  const { bot } = useDraftHandle();
  const [move, setMove] = useState(false);
  const [problem, setProblem] = useState<string>();
  const title = wanted.kind === 'back' ? 'Roll back' : `Make Release ${wanted.release.number} live`;
  const go = () => {
    const body = { move };
    const made =
      wanted.kind === 'back'
        ? call('rollBack', { params: { bot }, body })
        : call('makeLive', { params: { bot, release: wanted.release.number }, body });
    made
      .then(({ release, moved }) => {
        invalidate('listReleases', 'listChannels', 'getDraft', 'listBots');
        const words = moved === 1 ? '1 open conversation was' : `${moved} open conversations were`;
        onClose(`Release ${release.number} is live.${move ? ` ${words} moved to it.` : ''}`);
      })
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <Modal show onHide={() => onClose()} aria-labelledby="go-live">
      <Modal.Header closeButton>
        <Modal.Title id="go-live">{title}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        <p>
          {wanted.kind === 'back' ? 'The release that was live before becomes live again. ' : ''}New conversations use it at once,
          unless their channel is bound to another release. The draft stays as it is.
        </p>
        <Form.Check
          id="move"
          label="Move open conversations to it too; a flow whose node is gone there begins again with its values kept"
          checked={move}
          onChange={(e) => setMove(e.target.checked)}
        />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => onClose()}>
          Cancel
        </Button>
        <Button onClick={go}>{wanted.kind === 'back' ? 'Roll back' : 'Make live'}</Button>
      </Modal.Footer>
    </Modal>
  );
}

function Compare({ releases }: { readonly releases: readonly Release[] }) {
  const { bot, saved } = useDraftHandle();
  const [from, setFrom] = useState(String(releases[0]?.number ?? 'draft'));
  const [to, setTo] = useState('draft');
  const found = useCall('compareVersions', { params: { bot }, query: { from, to } });
  const pick = (label: string, value: string, set: (v: string) => void) => (
    <Form.Select aria-label={label} style={{ width: 'auto' }} value={value} onChange={(e) => set(e.target.value)}>
      <option value="draft">the draft (revision {saved.revision})</option>
      {releases.map((r) => (
        <option key={r.number} value={r.number}>
          Release {r.number}
        </option>
      ))}
    </Form.Select>
  );
  return (
    <section>
      <h3>Compare</h3>
      <div style={{ display: 'flex', gap: 8, alignItems: 'center', marginBottom: 8 }}>
        {pick('Compare from', from, setFrom)} with {pick('Compare to', to, setTo)}
      </div>
      {found.error && <Alarm>{errorText(found.error)}</Alarm>}
      {found.data?.items.length === 0 && <p className="soft">They are the same.</p>}
      <ul className="changes">
        {found.data?.items.map(({ sentence }, i) => (
          <li key={i} dir="auto">
            {sentence}
          </li>
        ))}
      </ul>
    </section>
  );
}
