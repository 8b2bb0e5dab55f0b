import { Link, useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Sheet } from '../turn/Sheet.js';

/** The turn sheet of a turn with a visitor. */
export default function ConversationTurnPage() {
  const { bot } = useDraftHandle();
  const { conversation = '', number = '' } = useParams();
  const turns = useCall('listTurns', { params: { bot, conversation } });
  const at = turns.data?.items.findIndex((t) => t.number === Number(number)) ?? -1;
  const turn = turns.data?.items[at];
  const back = `/bots/${bot}/conversations/${conversation}`;
  const page = (of: number | undefined) => (of === undefined ? undefined : `${back}/turns/${of}`);
  if (turn)
    return (
      <Sheet
        turn={turn}
        earlier={page(turns.data?.items[at - 1]?.number)}
        later={page(turns.data?.items[at + 1]?.number)}
        back={back}
      />
    );
  return (
    <main className="page">
      {turns.error && <p className="alarm">{errorText(turns.error)}</p>}
      {turns.data && (
        <p>
          There is no such turn. <Link to={back}>Back to the conversation</Link>
        </p>
      )}
    </main>
  );
}
