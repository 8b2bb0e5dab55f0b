import { useCall } from '../api.js';

const MOST = 8;

/** What visitors thought of answers, in figures: by release, and the answers that helped least. */
export function FeedbackFigures({ bot }: { readonly bot: string }) {
  const found = useCall('getFeedback', { params: { bot } });
  if (!found.data || found.data.helpful + found.data.unhelpful === 0) return null;
  const { helpful, unhelpful, releases, answers } = found.data;
  const share = (of: { readonly helpful: number; readonly unhelpful: number }) =>
    `${Math.round((100 * of.helpful) / Math.max(1, of.helpful + of.unhelpful))} %`;
  return (
    <section className="thoughts" aria-label="What visitors thought of answers">
      <h3>What visitors thought, in 90 days</h3>
      <p>
        {helpful} helped, {unhelpful} did not: {share({ helpful, unhelpful })} helped.
      </p>
      <table>
        <thead>
          <tr>
            <th>Release</th>
            <th>helped</th>
            <th>did not</th>
            <th>share</th>
          </tr>
        </thead>
        <tbody>
          {releases.map((r) => (
            <tr key={r.release ?? 0}>
              <td>{r.release ?? 'draft'}</td>
              <td>{r.helpful}</td>
              <td>{r.unhelpful}</td>
              <td>{share(r)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h4 className="caps soft">The answers that helped least</h4>
      <table>
        <tbody>
          {answers
            .filter((a) => a.unhelpful > 0)
            .slice(0, MOST)
            .map((a) => (
              <tr key={`${a.flow}/${a.node}`}>
                <td>
                  <a href={`/bots/${bot}/map/${a.flow}/${a.node}`} dir="auto">
                    {a.said === '' ? `${a.flow}/${a.node}` : a.said}
                  </a>
                  {a.words.length > 0 && (
                    <span className="note" dir="auto">
                      {' '}
                      “{a.words.join('” “')}”
                    </span>
                  )}
                </td>
                <td>{a.unhelpful} did not</td>
                <td>{a.helpful} did</td>
              </tr>
            ))}
        </tbody>
      </table>
    </section>
  );
}
