import { editWords, type PastEdit } from '@primrose/contract';
import { useInfiniteQuery } from '@tanstack/react-query';
import { Button } from 'react-bootstrap';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { SettingsTabs } from '../parts/Tabs.js';
import { Alarm } from '../parts/Alarm.js';

const PAGE = 50;
const MAX_CHANGES = 5;

/** Who changed what in the draft, the newest first; each state can be brought back. */
export default function HistoryPage() {
  const { bot, saved, step, restore } = useDraftHandle();
  const edits = useInfiniteQuery({
    queryKey: ['listHistory', bot, saved.revision],
    queryFn: ({ pageParam }) =>
      call('listHistory', { params: { bot }, query: { limit: PAGE, ...(pageParam === '' ? {} : { after: pageParam }) } }),
    initialPageParam: '',
    getNextPageParam: (last) => last.next,
  });
  const items = edits.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <main className="page">
      <header>
        <h2>History</h2>
        <Button variant="outline-secondary" disabled={!saved.undo} onClick={() => void step('undo')}>
          Undo my last edit
        </Button>
        <Button variant="outline-secondary" disabled={!saved.redo} onClick={() => void step('redo')}>
          Redo
        </Button>
      </header>
      <SettingsTabs />
      {edits.error && <Alarm>{errorText(edits.error)}</Alarm>}
      {items.length === 0 && !edits.isPending && <p className="soft">The draft is as it was made; nothing was edited yet.</p>}
      <ol className="rows edits">
        {items.map((e) => (
          <EditRow key={e.revision} edit={e} current={e.revision === saved.revision} onRestore={() => void restore(e.revision)} />
        ))}
      </ol>
      {edits.hasNextPage && (
        <Button variant="outline-secondary" onClick={() => void edits.fetchNextPage()}>
          Earlier edits
        </Button>
      )}
    </main>
  );
}

function EditRow({
  edit,
  current,
  onRestore,
}: {
  readonly edit: PastEdit;
  readonly current: boolean;
  readonly onRestore: () => void;
}) {
  const what = editWords(edit);
  const more = edit.changes.length - MAX_CHANGES;
  return (
    <li>
      <div>
        <p>
          <span className="mono">{edit.revision}</span> <b>{edit.by}</b> {what}{' '}
          <span className="note">{new Date(edit.at).toLocaleString()}</span>
        </p>
        <ul className="changes">
          {edit.changes.slice(0, MAX_CHANGES).map((c, i) => (
            <li key={i} dir="auto">
              {c}
            </li>
          ))}
          {more > 0 && <li className="note">and {more} more</li>}
        </ul>
      </div>
      <div className="acts">
        {current ? (
          <span className="note">the draft now</span>
        ) : (
          <Button size="sm" variant="outline-secondary" onClick={onRestore}>
            Restore
          </Button>
        )}
      </div>
    </li>
  );
}
