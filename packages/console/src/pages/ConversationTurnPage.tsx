import { Link, useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Sheet } from '../turn/Sheet.js';

/** The turn sheet of a turn with a visitor. */
export default function ConversationTurnPage() {
  const { bot } = useDraftHandle();
  const { conversation = '', number = '' } = useParams();
  const turns = useCall('listTurns', { params: { bot, conversation } });
  const turn = turns.data?.items.find((t) => t.number === Number(number));
  const back = `/bots/${bot}/conversations/${conversation}`;
  if (turn) return <Sheet turn={turn} count={turns.data?.items.length ?? 0} at={(n) => `${back}/turns/${n}`} back={back} />;
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
