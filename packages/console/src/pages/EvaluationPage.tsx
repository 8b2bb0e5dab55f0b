import type { EvaluationView, ProposedQuestionView, TestQuestionView } from '@primrose/contract';
import { questionsOf, readCsv, type Splitting } from '@primrose/core';
import { useState, type ChangeEvent } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { answeredIn } from '../knowledge/answered.js';
import { AskedList } from '../knowledge/AskedList.js';
import { NewQuestion } from '../knowledge/NewQuestion.js';
import { splitText } from '../knowledge/SplittingForm.js';
import { Alarm } from '../parts/Alarm.js';
import { KnowledgeTabs } from '../parts/Tabs.js';
import { scoreText } from '../parts/words.js';

const OTHERS: readonly Splitting[] = [
  { by: 'headings', size: 700 },
  { by: 'size', size: 1000, overlap: 200 },
];

/** How good lookups are: questions with what answers them, and the figures of each splitting beside each other. */
export default function EvaluationPage() {
  const { document, bot, flush } = useDraftHandle();
  const { base: wanted } = useParams();
  const bases = Object.keys(document.knowledge ?? {});
  const base = wanted ?? bases[0];
  const params = { bot, knowledge: base ?? '' };
  const { data: set } = useCall('listTestQuestions', { params }, base !== undefined);
  const [came, setCame] = useState<EvaluationView>();
  const [running, setRunning] = useState(false);
  const [problem, setProblem] = useState<string>();
  const [asked, setAsked] = useState<readonly ProposedQuestionView[]>();
  const work = (doing: () => Promise<void>) => {
    setProblem(undefined);
    doing().catch((error: unknown) => setProblem(errorText(error)));
  };
  const run = (splits: readonly Splitting[]) =>
    work(async () => {
      setRunning(true);
      try {
        await flush();
        setCame(await call('evaluateKnowledge', { params, body: { splits: [...splits] } }));
      } finally {
        setRunning(false);
      }
    });
  const add = (questions: Parameters<typeof call<'addTestQuestions'>>[1]['body']['questions']) =>
    work(async () => {
      await flush();
      if (questions.length > 0) await call('addTestQuestions', { params, body: { questions } });
      invalidate('listTestQuestions');
    });
  const propose = () =>
    work(async () => {
      await flush();
      const { items } = await call('proposeTestQuestions', { params, query: {} });
      add(
        items.map(({ heading, says, times: _times, ...q }) => ({
          ...q,
          ...(heading === null ? {} : { heading }),
          ...(says === null ? {} : { says }),
        })),
      );
    });
  const lookThrough = () =>
    work(async () => {
      await flush();
      setAsked(asked ? undefined : (await call('proposeTestQuestions', { params, query: { from: 'conversations' } })).items);
    });
  const settle = (question: string) => setAsked((all) => all?.filter((q) => q.question !== question));
  const importCsv = (event: ChangeEvent<HTMLInputElement>) => {
    const [file] = event.target.files ?? [];
    event.target.value = '';
    work(async () => {
      if (!file || base === undefined) return;
      add(questionsOf(readCsv(await file.text()), document.knowledge?.[base]?.documents ?? {}));
    });
  };
  return (
    <div className="threefold">
      <nav className="lists" aria-label="Knowledge bases">
        <KnowledgeTabs />
        <ul>
          {bases.map((b) => (
            <li key={b}>
              <Link to={`/bots/${bot}/evaluation/${b}`} aria-current={b === base ? 'page' : undefined}>
                <span>{b.replaceAll('-', ' ')}</span>
              </Link>
            </li>
          ))}
        </ul>
      </nav>
      <main className="middle" aria-label="Evaluation">
        <header>
          <h2>Evaluation</h2>
          <span className="spring" />
          <Button disabled={running || !set?.items.length} onClick={() => run([])}>
            {running ? 'Looking up…' : 'Evaluate'}
          </Button>
        </header>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        {base === undefined ? (
          <p className="soft">There is no knowledge base yet.</p>
        ) : (
          <>
            <div className="facts">
              <Button size="sm" variant="outline-secondary" disabled={running || !set?.items.length} onClick={() => run(OTHERS)}>
                Compare splittings
              </Button>
              <Button size="sm" variant="outline-secondary" onClick={propose}>
                Propose from headings
              </Button>
              <Button size="sm" variant="outline-secondary" aria-expanded={asked !== undefined} onClick={lookThrough}>
                From conversations
              </Button>
              <label className="btn btn-outline-secondary btn-sm">
                Import CSV
                <input className="visually-hidden" type="file" accept=".csv" onChange={importCsv} />
              </label>
              <span className="note">question, document, heading; no document where nothing should be found</span>
            </div>
            {asked && <AskedList asked={asked} onAdd={(q) => add([q])} onDone={settle} />}
            {came && <FigureTable came={came} />}
            <Questions items={set?.items ?? []} came={came} onDrop={(id) => work(() => drop(params, id))} />
          </>
        )}
      </main>
      <aside className="side">{base !== undefined && <NewQuestion key={base} base={base} onAdd={(q) => add([q])} />}</aside>
    </div>
  );
}

async function drop(params: { bot: string; knowledge: string }, question: string): Promise<void> {
  await call('dropTestQuestion', { params: { ...params, question } });
  invalidate('listTestQuestions');
}

const ratio = (value: number | null): string => (value === null ? '–' : scoreText(value));

/** The figures of each splitting that was tried, beside each other. */
function FigureTable({ came }: { readonly came: EvaluationView }) {
  return (
    <table className="t" aria-label="Figures">
      <thead>
        <tr>
          <th scope="col">Splitting</th>
          <th scope="col" className="num">
            Passages
          </th>
          <th scope="col" className="num">
            First
          </th>
          <th scope="col" className="num">
            Among three
          </th>
          <th scope="col" className="num" title="Mean reciprocal rank">
            MRR
          </th>
          <th scope="col" className="num" title="Of what was said not to be covered, how much is not">
            Not covered, right
          </th>
          <th scope="col" className="num" title="Of what is not covered, how much was said to be">
            found
          </th>
        </tr>
      </thead>
      <tbody>
        {came.results.map(({ split, passages, figures }, i) => (
          <tr key={i}>
            <td>{i === 0 ? 'as it is' : splitText(split)}</td>
            <td className="num">{passages}</td>
            <td className="num">{ratio(figures.hit1)}</td>
            <td className="num">{ratio(figures.hit3)}</td>
            <td className="num">{ratio(figures.reciprocal)}</td>
            <td className="num">{ratio(figures.precision)}</td>
            <td className="num">{ratio(figures.recall)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type Item = EvaluationView['results'][number]['items'][number];

function outcome(item: Item | undefined): { readonly words: string; readonly good: boolean } | undefined {
  if (!item) return undefined;
  if (item.nothing)
    return item.covered ? { words: 'said to be covered', good: false } : { words: 'not covered, as it should be', good: true };
  if (item.rank === 0) return { words: 'not found', good: false };
  const place = item.rank === 1 ? 'first' : `place ${item.rank}`;
  return item.covered ? { words: place, good: item.rank === 1 } : { words: `${place}, but said not to be covered`, good: false };
}

/** The set, with what came of each question; the worst first once it was tried. */
function Questions({
  items,
  came,
  onDrop,
}: {
  readonly items: readonly TestQuestionView[];
  readonly came: EvaluationView | undefined;
  readonly onDrop: (id: string) => void;
}) {
  const judged = new Map((came?.results[0]?.items ?? []).map((i) => [i.id, i]));
  const badness = (q: TestQuestionView) => (outcome(judged.get(q.id))?.good === false ? 0 : 1);
  const sorted = came ? [...items].sort((a, b) => badness(a) - badness(b)) : items;
  if (items.length === 0)
    return (
      <p className="soft">No questions yet. Write some, import them, or have them proposed from the headings of the documents.</p>
    );
  return (
    <table className="t" aria-label="Questions">
      <thead>
        <tr>
          <th scope="col">Question</th>
          <th scope="col">Answered in</th>
          <th scope="col">Came out</th>
          <th scope="col">
            <span className="visually-hidden">Remove</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {sorted.map((q) => {
          const came = outcome(judged.get(q.id));
          return (
            <tr key={q.id}>
              <td className="serif" dir="auto">
                {q.question}
              </td>
              <td className="note">{answeredIn(q)}</td>
              <td className={came?.good === false ? 'plum' : 'note'}>{came?.words}</td>
              <td>
                <button className="bare note" type="button" aria-label={`Take out “${q.question}”`} onClick={() => onDrop(q.id)}>
                  take out
                </button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
