import { lazy, Suspense, useState } from 'react';
import { Link, useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Sheet } from '../turn/Sheet.js';
import { Alarm } from '../parts/Alarm.js';

const KeepDialog = lazy(async () => ({ default: (await import('../simulator/KeepDialog.js')).KeepDialog }));

/** The turn sheet of a turn with a visitor. */
export default function ConversationTurnPage() {
  const { bot } = useDraftHandle();
  const { conversation = '', number = '' } = useParams();
  const [keeping, setKeeping] = useState(false);
  const turns = useCall('listTurns', { params: { bot, conversation } });
  const at = turns.data?.items.findIndex((t) => t.number === Number(number)) ?? -1;
  const turn = turns.data?.items[at];
  const back = `/bots/${bot}/conversations/${conversation}`;
  const page = (of: number | undefined) => (of === undefined ? undefined : `${back}/turns/${of}`);
  if (turn)
    return (
      <>
        <Sheet
          turn={turn}
          earlier={page(turns.data?.items[at - 1]?.number)}
          later={page(turns.data?.items[at + 1]?.number)}
          back={back}
          actions={
            <button type="button" className="btn btn-outline-secondary" onClick={() => setKeeping(true)}>
              Keep as rehearsal
            </button>
          }
        />
        {keeping && (
          <Suspense fallback={null}>
            <KeepDialog turns={(turns.data?.items ?? []).slice(0, at + 1)} called={null} onClose={() => setKeeping(false)} />
          </Suspense>
        )}
      </>
    );
  return (
    <main className="page">
      {turns.error && <Alarm>{errorText(turns.error)}</Alarm>}
      {turns.data && (
        <p>
          There is no such turn. <Link to={back}>Back to the conversation</Link>
        </p>
      )}
    </main>
  );
}
