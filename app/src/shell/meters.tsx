import { useEffect, useRef } from 'react';
import { player } from '../open-song';

const LOWEST_DB = -48;

/** How much of a meter a peak fills, 0 to 1. */
export const filled = (peak: number): number =>
  Math.max(0, Math.min(1, 1 + (20 * Math.log10(Math.max(peak, 1e-6))) / -LOWEST_DB));

const waiting = new Set<(playing: boolean) => void>();
let frame = 0;

/** Calls each frame, all callers in one; returns how to end it. */
export function eachFrame(draw: (playing: boolean) => void): () => void {
  waiting.add(draw);
  const tick = () => {
    const playing = player()?.playing ?? false;
    for (const d of waiting) d(playing);
    frame = waiting.size ? requestAnimationFrame(tick) : 0;
  };
  if (!frame) frame = requestAnimationFrame(tick);
  return () => void waiting.delete(draw);
}

/** A track's colour as an upright bar; while the song plays it stands as high as the track is loud. */
export function TrackMeter({ index, colour, className }: { index: number; colour: string; className: string }) {
  const host = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let shown = -1;
    return eachFrame(playing => {
      const level = playing ? Math.round(filled(player()?.peakOf(index) ?? 0) * 50) / 50 : 1;
      if (level === shown || !host.current) return;
      shown = level;
      (host.current.firstElementChild as HTMLElement).style.transform = `scaleY(${level})`;
      host.current.dataset.level = String(level);
    });
  }, [index]);
  return (
    <span
      ref={host}
      className={`relative block overflow-hidden rounded ${className}`}
      style={{ background: `color-mix(in srgb, var(--${colour}) 22%, transparent)` }}
      data-testid="meter-of-track"
    >
      <span className="absolute inset-0 block origin-bottom" style={{ background: `var(--${colour})` }} />
    </span>
  );
}
