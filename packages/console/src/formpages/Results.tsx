import type { PageResult } from '@primrose/contract';
import { Link } from 'react-router';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

/** What came of a page: who filled it in, what was made, what it cost; each run with its turn sheet. */
export function Results({ page }: { readonly page: string }) {
  const { bot } = useDraftHandle();
  const results = useCall('listResults', { params: { bot, page }, query: {} });
  const items = results.data?.items ?? [];
  if (results.error) return <Alarm>{errorText(results.error)}</Alarm>;
  if (results.data && items.length === 0) return <p className="empty">Nobody has filled this page in yet.</p>;
  return (
    <section aria-label="Results">
      <p>
        <a href={`/api/bots/${bot}/pages/${page}/results.csv`} download>
          All inputs and outputs as CSV
        </a>
      </p>
      <table className="table">
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">By</th>
            <th scope="col">Filled in</th>
            <th scope="col">Came of it</th>
            <th scope="col">Tokens</th>
            <th scope="col">Price</th>
            <th scope="col">Runs</th>
          </tr>
        </thead>
        <tbody>
          {items.map((r) => (
            <OneResult key={r.id} result={r} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function OneResult({ result: r }: { readonly result: PageResult }) {
  const { bot } = useDraftHandle();
  const made = r.outputs.filter((o) => o.versions.length > 0).length;
  return (
    <tr>
      <td>{new Date(r.at).toLocaleString()}</td>
      <td>{r.by ?? (r.share === null ? 'somebody' : `visitor of ${r.share}`)}</td>
      <td dir="auto">
        {Object.values(r.inputs)
          .map((v) =>
            typeof v === 'string'
              ? v
              : v !== null && typeof v === 'object' && 'name' in v
                ? String(v.name as string)
                : JSON.stringify(v),
          )
          .join(', ')
          .slice(0, 80)}
      </td>
      <td>
        {r.state === 'done' ? `${made} of ${r.outputs.length}` : r.state}
        {r.reason === null ? '' : `: ${r.reason}`}
      </td>
      <td>{r.tokens}</td>
      <td>{r.price.toFixed(5)}</td>
      <td>
        {r.runs.map((run, i) => (
          <Link key={run.id} to={`/bots/${bot}/runs/${run.id}`}>
            {i > 0 ? ', ' : ''}
            {run.part === null ? 'all of it' : run.part.replaceAll('_', ' ')}
          </Link>
        ))}
      </td>
    </tr>
  );
}
