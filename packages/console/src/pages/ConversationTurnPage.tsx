import { lazy, Suspense, useState } from 'react';
import { Link, useParams } from 'react-router';
import { errorText, useTurns } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Sheet } from '../turn/Sheet.js';
import { Alarm } from '../parts/Alarm.js';

const KeepDialog = lazy(async () => ({ default: (await import('../simulator/KeepDialog.js')).KeepDialog }));

/** The turn sheet of a turn with a visitor. */
export default function ConversationTurnPage() {
  const { bot } = useDraftHandle();
  const { conversation = '', number = '' } = useParams();
  const [keeping, setKeeping] = useState(false);
  const turns = useTurns(bot, conversation);
  const all = turns.data ?? [];
  const at = all.findIndex((t) => t.number === Number(number));
  const turn = all[at];
  const back = `/bots/${bot}/conversations/${conversation}`;
  const page = (of: number | undefined) => (of === undefined ? undefined : `${back}/turns/${of}`);
  if (turn)
    return (
      <>
        <Sheet
          turn={turn}
          earlier={page(all[at - 1]?.number)}
          later={page(all[at + 1]?.number)}
          back={back}
          actions={
            <button type="button" className="btn btn-outline-secondary" onClick={() => setKeeping(true)}>
              Keep as rehearsal
            </button>
          }
        />
        {keeping && (
          <Suspense fallback={null}>
            <KeepDialog turns={all.slice(0, at + 1)} called={null} onClose={() => setKeeping(false)} />
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
