import type { Splitting } from '@primrose/core';
import { useRef, useState } from 'react';
import { Button } from 'react-bootstrap';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { placeText } from './place.js';
import { putDocument } from './uploading.js';

/** How documents may be split, in words. */
export const SPLIT_WORDS: Readonly<Record<Splitting['by'], string>> = {
  headings: 'at headings',
  size: 'by size alone',
  pages: 'page by page',
  rows: 'row by row',
  questions: 'as questions and answers',
};
const USUAL_SIZE = 1600;

type Preview = Awaited<ReturnType<typeof call<'previewSplit'>>>;

/** A splitting in words. */
export function splitText(split: Splitting | null | undefined): string {
  if (!split) return 'as is usual';
  const size = split.size === undefined ? '' : `, ${split.size} characters`;
  return `${SPLIT_WORDS[split.by]}${size}${split.overlap ? `, ${split.overlap} of them from the one before` : ''}`;
}

/** How a document is split: looked at first, then applied. */
export function SplittingForm({ base, id }: { readonly base: string; readonly id: string }) {
  const { document, bot, edit, flush } = useDraftHandle();
  const own = document.knowledge?.[base]?.documents[id];
  const [tried, setTried] = useState<Splitting | null>();
  const [preview, setPreview] = useState<Preview>();
  const [problem, setProblem] = useState<string>();
  const asked = useRef(0);
  const shown = tried === undefined ? (own?.split ?? null) : tried;
  const look = (split: Splitting | null) => {
    const latest = ++asked.current;
    setTried(split);
    setProblem(undefined);
    flush()
      .then(() => call('previewSplit', { params: { bot, knowledge: base, document: id }, body: { split } }))
      // An answer to what was tried before is not shown beside what is tried now.
      .then((came) => latest === asked.current && setPreview(came))
      .catch((error: unknown) => latest === asked.current && setProblem(errorText(error)));
  };
  const apply = () => {
    edit((d) => {
      const now = d.knowledge?.[base]?.documents[id];
      if (!now) return d;
      const { split: _old, ...rest } = now;
      return putDocument(d, base, id, shown ? { ...rest, split: shown } : rest);
    });
    setTried(undefined);
    setPreview(undefined);
  };
  return (
    <section aria-label="Splitting" className="splitting">
      <div className="facts">
        <label className="note">
          Split{' '}
          <select
            className="form-select"
            value={shown?.by ?? ''}
            onChange={(e) => look(e.target.value === '' ? null : { ...shown, by: e.target.value as Splitting['by'] })}
          >
            <option value="">as is usual</option>
            {Object.entries(SPLIT_WORDS).map(([by, words]) => (
              <option key={by} value={by}>
                {words}
              </option>
            ))}
          </select>
        </label>
        {shown && (shown.by === 'headings' || shown.by === 'size') && <Sizes split={shown} onChange={look} />}
        {tried !== undefined && (
          <Button size="sm" onClick={apply}>
            Apply
          </Button>
        )}
      </div>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {tried !== undefined && preview && <Previewed preview={preview} />}
    </section>
  );
}

function Sizes({ split, onChange }: { readonly split: Splitting; readonly onChange: (s: Splitting) => void }) {
  const number = (key: 'size' | 'overlap', least: number, most: number, usual: number, label: string) => (
    <label className="note">
      {label}{' '}
      <input
        type="number"
        className="form-control plain short"
        min={least}
        max={most}
        step={50}
        value={split[key] ?? usual}
        onChange={(e) =>
          onChange({ ...split, [key]: Math.max(least, Math.min(most, Math.round(Number(e.target.value) || least))) })
        }
      />
    </label>
  );
  return (
    <>
      {number('size', 200, 4000, USUAL_SIZE, 'up to characters')}
      {number('overlap', 0, 1000, 0, 'overlap')}
    </>
  );
}

function Previewed({ preview }: { readonly preview: Preview }) {
  const { passages, characters, first } = preview;
  return (
    <div role="status" className="preview">
      <p>
        <b>{passages}</b> {passages === 1 ? 'passage' : 'passages'} of {characters.least} to {characters.most} characters, half of
        them under {characters.median}. Nothing is changed yet.
      </p>
      <ol className="passages">
        {first.slice(0, 4).map((p, i) => (
          <li key={i}>
            <span className="note">{placeText(p)}</span>
            <p dir="auto">{p.text.length > 220 ? `${p.text.slice(0, 220)}…` : p.text}</p>
          </li>
        ))}
      </ol>
    </div>
  );
}
