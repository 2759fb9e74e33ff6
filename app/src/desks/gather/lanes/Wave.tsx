import { memo } from 'react';
import type { TakeView } from '@essim/core';

/** Bars of a take's loudness over a span of its own time. */
export const Wave = memo(function Wave({
  view,
  from,
  to,
  width,
  colour,
}: {
  view: TakeView;
  from: number;
  to: number;
  width: number;
  colour: string;
}) {
  const levels = view.reading?.levelDb;
  if (!levels) return null;
  let loudest = -120;
  for (let k = 0; k < levels.length; k++) loudest = Math.max(loudest, levels[k]);
  const count = Math.max(8, Math.floor((width - 14) / 3.2));
  let path = '';
  for (let i = 0; i < count; i++) {
    const a = Math.floor((from + ((to - from) * i) / count) * 200);
    const b = Math.max(a + 1, Math.floor((from + ((to - from) * (i + 1)) / count) * 200));
    let loud = -120;
    for (let k = Math.max(0, a); k < Math.min(levels.length, b); k++) loud = Math.max(loud, levels[k]);
    const h = Math.max(0.6, Math.min(17, 17 * 10 ** ((loud - loudest) / 32)));
    const x = (7 + (i * (width - 14)) / count).toFixed(1);
    path += `M${x} ${(19 - h).toFixed(1)}V${(19 + h).toFixed(1)}`;
  }
  return (
    <svg width={width} height={38} className="pointer-events-none block" aria-hidden>
      <path d={path} stroke={colour} strokeWidth={1.6} strokeLinecap="round" />
    </svg>
  );
});
