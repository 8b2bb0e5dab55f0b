import type { BotDocument, IntentQuality, QualityReport } from '@primrose/core';
import { matchFrom } from '@primrose/core';
import { Button } from 'react-bootstrap';
import { Link } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { useKeys } from '../keys/keys.js';
import { Alarm } from '../parts/Alarm.js';
import { UnderstandingTabs } from '../parts/Tabs.js';
import { duration, plainName, scoreText } from '../parts/words.js';
import { Curve } from '../understanding/quality/Curve.js';
import { FileCheck } from '../understanding/quality/FileCheck.js';
import { Health } from '../understanding/quality/Health.js';
import { MixedUpPairs } from '../understanding/quality/MixedUpPairs.js';
import { useQuality, type Measured } from '../understanding/quality/useQuality.js';

/** How well the draft understands phrases that it has not learned, and what would help. */
export default function QualityPage() {
  const { document, edit } = useDraftHandle();
  const { now, before, measuring, problem, measure } = useQuality();
  const threshold = matchFrom(document);
  const change = (of: (d: BotDocument) => BotDocument) => {
    edit(of);
    void measure();
  };
  useKeys({ m: () => void measure() });
  const setThreshold = (value: number) => edit((d) => ({ ...d, 'match-from': Math.round(value * 1000) / 1000 }));
  return (
    <div className="threefold quality">
      <nav className="lists" aria-label="Quality of each intent">
        <UnderstandingTabs />
        {now && <IntentList report={now.report} />}
      </nav>
      <main className="middle" aria-label="Quality">
        <header>
          <h2>Quality</h2>
          <span className="spring" />
          <Button variant="outline-secondary" disabled={measuring} onClick={() => void measure()}>
            {measuring ? 'Measuring…' : 'Measure again'} <kbd>M</kbd>
          </Button>
        </header>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        {!now && measuring && <p className="soft">Each phrase is read by what all others teach. This takes a moment.</p>}
        {now && now.report.phrases === 0 && <p className="soft">Nothing is taught yet. Give an intent some phrases.</p>}
        {now && now.report.phrases > 0 && (
          <>
            <Figures now={now} before={before} />
            <h3>Mixed up</h3>
            <MixedUpPairs report={now.report} before={before?.report} onChange={change} />
            <Duplicates report={now.report} />
          </>
        )}
      </main>
      <aside className="side">
        {now && now.report.phrases > 0 && <Curve report={now.report} threshold={threshold} onThreshold={setThreshold} />}
        <FileCheck />
      </aside>
    </div>
  );
}

/** The figures of the whole bot, beside those before the last change. */
function Figures({ now, before }: { readonly now: Measured; readonly before: Measured | undefined }) {
  const { report } = now;
  const was = before && before.report.accuracy !== report.accuracy ? before.report.accuracy : undefined;
  return (
    <p className="facts" role="status">
      <span>
        <b>{scoreText(report.accuracy)}</b> read right
        {was !== undefined && <span className="soft"> ({scoreText(was)} before)</span>}
      </span>
      <span>
        <b>{report.phrases}</b> phrases
      </span>
      <span>
        <b>{report.mixedUp.reduce((sum, m) => sum + m.phrases.length, 0)}</b> read as another intent
        {before && <span className="soft"> ({before.report.mixedUp.reduce((sum, m) => sum + m.phrases.length, 0)} before)</span>}
      </span>
      <span className="note">
        {now.encoder ? 'with the encoder' : 'by words alone'}, {duration(now.ms)}
      </span>
    </p>
  );
}

function IntentList({ report }: { readonly report: QualityReport }) {
  const { bot } = useDraftHandle();
  const sorted = [...report.intents].sort((a, b) => a.f1 - b.f1);
  return (
    <>
      <h2>
        Intents <span className="note">found right</span>
      </h2>
      <ul>
        {sorted.map((i) => (
          <li key={i.intent}>
            <Link to={`/bots/${bot}/understanding/intent/${i.intent}`} title={intentWords(i)}>
              <Health health={i.health} />
              <span className="name">{plainName(i.intent)}</span>
              {i.few && <span className="corner">{i.phrases}</span>}
              <span className="note">{scoreText(i.recall)}</span>
              <span className="note">{i.precision === null ? '–' : scoreText(i.precision)}</span>
            </Link>
          </li>
        ))}
      </ul>
      {report.intents.some((i) => i.few) && <p className="note few">A corner marks an intent with too few phrases to tell.</p>}
    </>
  );
}

function intentWords({ phrases, recall, precision, f1, few }: IntentQuality): string {
  const right = precision === null ? 'nothing is taken for it' : `${scoreText(precision)} of what is taken for it is right`;
  return `${phrases} phrases${few ? ', too few' : ''}: ${scoreText(recall)} of them found, ${right}, F1 ${scoreText(f1)}`;
}

function Duplicates({ report: { duplicates } }: { readonly report: QualityReport }) {
  const { bot } = useDraftHandle();
  if (duplicates.length === 0) return null;
  return (
    <>
      <h3>Nearly the same in two intents</h3>
      <ul className="plainlist">
        {duplicates.map(({ first, second, likeness }) => (
          <li key={`${first.text} ${second.text}`}>
            <span className="it">{first.text}</span>{' '}
            <Link to={`/bots/${bot}/understanding/intent/${first.intent}`}>{plainName(first.intent)}</Link>
            {' · '}
            <span className="it">{second.text}</span>{' '}
            <Link to={`/bots/${bot}/understanding/intent/${second.intent}`}>{plainName(second.intent)}</Link>{' '}
            <span className="note">{scoreText(likeness)} alike</span>
          </li>
        ))}
      </ul>
    </>
  );
}
