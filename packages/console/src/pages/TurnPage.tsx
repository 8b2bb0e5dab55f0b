import { Link, useParams } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { useSimulation } from '../simulator/simulation.js';
import { WithSimulator } from '../simulator/WithSimulator.js';
import { Sheet } from '../turn/Sheet.js';

/** The turn sheet of a simulated turn. */
export default function TurnPage() {
  const { number = '' } = useParams();
  const { turns } = useSimulation();
  const { bot } = useDraftHandle();
  const turn = turns.find((t) => t.number === Number(number));
  const first = turn?.sheet.path[0];
  return (
    <WithSimulator>
      {turn ? (
        <Sheet
          turn={turn}
          count={turns.length}
          at={(n) => `/bots/${bot}/turns/${n}`}
          back={`/bots/${bot}/map${first ? `/${first.flow}` : ''}`}
        />
      ) : (
        <main className="page">
          <div className="empty">
            <p>This turn is not in the simulator any more.</p>
            <Link className="btn btn-outline-secondary" to={`/bots/${bot}/map`}>
              Back to the Map
            </Link>
          </div>
        </main>
      )}
    </WithSimulator>
  );
}
