import { toast } from 'sonner';
import { setTempo } from '../edits';

/** Taps within this of each other belong together, ms. */
const TAP_PAUSE = 2500;
const MOST_TAPS = 12;
let taps: number[] = [];

/** Tempo of the taps up to now: the mean of their distances; null before the third. @param now ms */
export function tapped(now: number): number | null {
  taps = taps.length && now - taps[taps.length - 1] > TAP_PAUSE ? [now] : [...taps.slice(1 - MOST_TAPS), now];
  return taps.length < 3 ? null : (60000 * (taps.length - 1)) / (taps[taps.length - 1] - taps[0]);
}

/** Takes a tap for the tempo; also by key. @param at when it was tapped, not when the page came round to it; ms */
export function tap(at = performance.now()): void {
  const bpm = tapped(at);
  if (bpm && bpm >= 20 && bpm <= 400)
    setTempo(`Tempo ${bpm.toFixed(1)} bpm, tapped`, { bpm: Math.round(bpm * 10) / 10, changes: [] }, { kind: 'tap' });
  else toast('Keep tapping in time…', { id: 'tap', duration: 1500 });
}
