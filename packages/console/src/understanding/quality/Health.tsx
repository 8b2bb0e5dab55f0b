const PETALS = [0, 1, 2, 3, 4];
const FIVE = 5;
/** Below this many good petals something has to be done. */
const GOOD = 3;

/** How healthy an intent is: a flower of five petals, of which the filled ones are good. */
export function Health({ health }: { readonly health: number }) {
  return (
    <svg
      className={`health${health < GOOD ? ' poor' : ''}`}
      viewBox="-12 -12 24 24"
      width="17"
      height="17"
      role="img"
      aria-label={`health ${health} of ${FIVE}`}
    >
      {PETALS.map((i) => (
        <ellipse
          key={i}
          className={i < health ? 'full' : undefined}
          cx="0"
          cy="-6.4"
          rx="3.7"
          ry="4.9"
          transform={`rotate(${i * 72})`}
        />
      ))}
      <circle r="2" />
    </svg>
  );
}
