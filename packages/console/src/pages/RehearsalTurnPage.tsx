import { Link, useParams } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { useLastRun } from '../rehearsals/run.js';
import { Sheet } from '../turn/Sheet.js';

/** A turn of a rehearsal that failed, with what was expected of it. */
export default function RehearsalTurnPage() {
  const { bot } = useDraftHandle();
  const { rehearsal = '', number = '1' } = useParams();
  const run = useLastRun(bot);
  const turns = run?.items.find((i) => i.rehearsal === rehearsal)?.turns ?? [];
  const at = Number(number);
  const turn = turns[at - 1];
  const page = (n: number) => (turns[n - 1]?.record ? `/bots/${bot}/rehearsals/${rehearsal}/turns/${n}` : undefined);
  if (turn?.record)
    return (
      <Sheet
        turn={turn.record}
        misses={turn.misses}
        earlier={page(at - 1)}
        later={page(at + 1)}
        back={`/bots/${bot}/rehearsals`}
        actions={
          <Link className="btn btn-outline-secondary" to={`/bots/${bot}/rehearsals/${rehearsal}`}>
            Read the rehearsal
          </Link>
        }
      />
    );
  return (
    <main className="page">
      <div className="empty">
        <p>The last run has no record of this turn. Records are kept of rehearsals that fail.</p>
        <Link className="btn btn-outline-secondary" to={`/bots/${bot}/rehearsals`}>
          All rehearsals
        </Link>
      </div>
    </main>
  );
}
