import type { QualityReport } from '@primrose/core';
import { scoreText } from '../../parts/words.js';

const WIDTH = 264;
const HEIGHT = 120;
const STEP = 0.025;
const LEAST = 0.05;
const MOST = 0.95;

/** A wrong answer does more harm than a right one does good. */
const HARM = 2;

/** The threshold at which the good of right answers outweighs the harm of wrong ones most; of several the one in the middle. */
function bestOf(curve: QualityReport['curve']): number {
  const gain = (c: QualityReport['curve'][number]) => c.right - HARM * c.wrong;
  const inRange = curve.filter((c) => c.threshold >= LEAST && c.threshold <= MOST);
  const most = Math.max(...inRange.map(gain));
  const as = inRange.filter((c) => gain(c) === most);
  return as[Math.floor(as.length / 2)]?.threshold ?? LEAST;
}

interface CurveProps {
  readonly report: QualityReport;
  readonly threshold: number;
  readonly onThreshold: (threshold: number) => void;
}

/** What would be right, wrong and unanswered at each threshold; the threshold is drawn along with the mouse or the arrow keys. */
export function Curve({ report: { curve, phrases }, threshold, onThreshold }: CurveProps) {
  const x = (t: number) => t * WIDTH;
  const y = (n: number) => HEIGHT - (n / Math.max(1, phrases)) * HEIGHT;
  const line = (of: 'right' | 'wrong' | 'unanswered') => curve.map((c) => `${x(c.threshold)},${y(c[of])}`).join(' ');
  const best = bestOf(curve);
  const now = curve.reduce((best, c) => (Math.abs(c.threshold - threshold) < Math.abs(best.threshold - threshold) ? c : best));
  return (
    <section aria-label="Threshold">
      <h2>Threshold</h2>
      <p className="note">A message means an intent from this score on.</p>
      <svg
        className="curve"
        viewBox={`0 -6 ${WIDTH} ${HEIGHT + 12}`}
        role="img"
        aria-label="Right, wrong and unanswered phrases by threshold"
      >
        <line x1="0" x2={WIDTH} y1={HEIGHT} y2={HEIGHT} className="axis" />
        <polyline className="right" points={line('right')} />
        <polyline className="wrong" points={line('wrong')} />
        <polyline className="unanswered" points={line('unanswered')} />
        <line x1={x(threshold)} x2={x(threshold)} y1="-6" y2={HEIGHT + 6} className="at" />
      </svg>
      <input
        type="range"
        className="form-range"
        aria-label="Threshold"
        aria-valuetext={`${scoreText(threshold)}: ${now.right} right, ${now.wrong} wrong, ${now.unanswered} unanswered`}
        min={LEAST}
        max={MOST}
        step={STEP}
        value={threshold}
        onChange={(e) => onThreshold(Number(e.target.value))}
      />
      <p className="legend" role="status">
        <b>{scoreText(threshold)}</b> <span className="right">{now.right} right</span>{' '}
        <span className="wrong">{now.wrong} wrong</span> <span className="unanswered">{now.unanswered} unanswered</span>
      </p>
      {best !== threshold && (
        <p className="note">
          By these phrases {scoreText(best)} would be best, if a wrong answer counts twice.{' '}
          <button className="bare" type="button" onClick={() => onThreshold(best)}>
            Use {scoreText(best)}
          </button>
        </p>
      )}
    </section>
  );
}
