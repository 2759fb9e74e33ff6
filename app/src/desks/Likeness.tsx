import { HOLLOW, type Likeness, type Track } from '@essim/core';
import { memo } from 'react';
import { clock } from '../field/draw/ground';
import { goToMoment } from '../open-song';
import { useLikeness } from '../commands/likeness';

const WIDTH = 238;
const HEIGHT = 58;
/** Places that are named. */
const MOST_PLACES = 8;
/** The curve is drawn as it is over so long, s: a syllable, not a glottal cycle. */
const DRAWN_OVER = 0.4;

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
          {found.hollow.length > 0 && (
            <p className="mt-1 flex flex-wrap gap-x-2 tabular-nums">
              {found.hollow.slice(0, MOST_PLACES).map(h => (
                <button
                  key={h.start}
                  className="font-semibold text-teal"
                  aria-label={`Go to where they hollow each other out at ${clock(h.start)}`}
                  onClick={() => goToMoment(h.start)}
                >
                  {clock(h.start)}
                </button>
              ))}
              {found.hollow.length > MOST_PLACES && <span className="text-ink-2">and more</span>}
            </p>
          )}
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

/** Means over a short while, NaN where the two do not sing together. */
function smoothed(curve: Float32Array, reach: number): Float32Array {
  return curve.map((own, k) => {
    if (Number.isNaN(own)) return NaN;
    const near = curve.subarray(Math.max(0, k - reach), k + reach + 1).filter(v => !Number.isNaN(v));
    return near.reduce((s, v) => s + v, 0) / near.length;
  });
}

/** Drawn again when it was measured again, not with every step of a fader beside it. */
const Curve = memo(function Curve({ of: { curve, step, hollow } }: { of: Likeness }) {
  const y = (v: number) => HEIGHT - 4 - v * (HEIGHT - 8);
  const smooth = smoothed(curve, Math.round(DRAWN_OVER / step / 2));
  // the highest of what falls on each pixel
  const peaks = Array.from({ length: WIDTH }, (_, x) => {
    const a = Math.floor((x / WIDTH) * curve.length);
    const b = Math.max(a + 1, Math.floor(((x + 1) / WIDTH) * curve.length));
    return Math.max(...Array.from(smooth.subarray(a, b), v => (Number.isNaN(v) ? -1 : v)));
  });
  const x = (seconds: number) => (seconds / step / curve.length) * WIDTH;
  let path = '';
  peaks.forEach((v, at) => (path += v < 0 ? '' : `${at && peaks[at - 1] >= 0 ? 'L' : 'M'}${at} ${y(v).toFixed(1)}`));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`Likeness over ${Math.round(curve.length * step)} seconds, 0 to 1`}
    >
      <line x1={0} x2={WIDTH} y1={y(HOLLOW)} y2={y(HOLLOW)} stroke="var(--amber)" strokeDasharray="3 3" />
      <line x1={0} x2={WIDTH} y1={y(0)} y2={y(0)} stroke="var(--rule)" />
      {hollow.map(h => (
        <rect
          key={h.start}
          x={x(h.start)}
          width={Math.max(2, x(h.end) - x(h.start))}
          y={0}
          height={HEIGHT - 4}
          fill="var(--amber-soft)"
        />
      ))}
      <path d={path} fill="none" stroke="var(--violet)" strokeWidth={1.3} />
    </svg>
  );
});
