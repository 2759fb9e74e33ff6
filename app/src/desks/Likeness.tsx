import { HOLLOW, type Likeness, type Track } from '@essim/core';
import { useLikeness } from '../store/likeness';

const WIDTH = 238;
const HEIGHT = 58;

/** How close two tracks are to cancelling: a curve over the song, and the figure for all of it. A reading, not a control. */
export function LikenessCard({ a, b }: { a: Track; b: Track }) {
  const found = useLikeness(a, b);
  return (
    <section aria-label={`Likeness to ${b.name}`} data-testid="likeness">
      <h3 className="mb-1 font-semibold text-ink-2">Likeness to {b.name}</h3>
      {found ? (
        <>
          <Curve of={found} />
          <p className="text-[11px] text-amber">- - - 0.9: above it voices hollow each other out</p>
          <p className="mt-1 text-ink-2 tabular-nums">{said(found)}</p>
        </>
      ) : (
        <p className="text-ink-2">Measured a moment after the last change…</p>
      )}
    </section>
  );
}

function said({ whole, hollow, curve }: Likeness): string {
  if (!curve.some(v => !Number.isNaN(v))) return 'They never sing together.';
  const figure = whole.toFixed(2);
  if (hollow.length)
    return `${figure} on the whole; in ${hollow.length} ${hollow.length === 1 ? 'place' : 'places'} they hollow each other out. Scatter, or less closeness, cures it.`;
  return `${figure} on the whole: ${whole > 0.75 ? 'close to a copy' : whole > 0.5 ? 'near each other, but two voices' : 'two voices'}.`;
}

function Curve({ of: { curve, step } }: { of: Likeness }) {
  const y = (v: number) => HEIGHT - 4 - v * (HEIGHT - 8);
  // the highest of what falls on each pixel
  const peaks = Array.from({ length: WIDTH }, (_, x) => {
    const a = Math.floor((x / WIDTH) * curve.length);
    const b = Math.max(a + 1, Math.floor(((x + 1) / WIDTH) * curve.length));
    return Math.max(...Array.from(curve.subarray(a, b), v => (Number.isNaN(v) ? -1 : v)));
  });
  let path = '';
  peaks.forEach((v, x) => (path += v < 0 ? '' : `${x && peaks[x - 1] >= 0 ? 'L' : 'M'}${x} ${y(v).toFixed(1)}`));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`Likeness over ${Math.round(curve.length * step)} seconds, 0 to 1`}
    >
      <line x1={0} x2={WIDTH} y1={y(HOLLOW)} y2={y(HOLLOW)} stroke="var(--amber)" strokeDasharray="3 3" />
      <line x1={0} x2={WIDTH} y1={y(0)} y2={y(0)} stroke="var(--rule)" />
      <path d={path} fill="none" stroke="var(--violet)" strokeWidth={1.3} />
    </svg>
  );
}
