import { BeforeAfter } from '../BeforeAfter';
import type { TimedNote } from './timed';

/** Middles of the bars, ms. */
const STEP = 20;
const FURTHEST = 100;
/** On time within so much, s. */
const ON_TIME = 0.03;

/** How far off the notes of the track are beside what they are told by: as they were, and as they are. */
export function OffsetsChart({ notes }: { notes: readonly TimedNote[] }) {
  const known = notes.filter(n => n.offWas !== null && n.offNow !== null);
  if (!known.length) return null;
  const rows = Array.from({ length: (2 * FURTHEST) / STEP + 1 }, (_, i) => ({
    at: i * STEP - FURTHEST,
    was: 0,
    now: 0,
  }));
  const barOf = (off: number) => {
    const at = Math.max(-FURTHEST, Math.min(FURTHEST, off * 1000));
    return rows[Math.round((at + FURTHEST) / STEP)];
  };
  for (const n of known) {
    barOf(n.offWas!).was++;
    barOf(n.offNow!).now++;
  }
  const within = (field: 'offWas' | 'offNow') => known.filter(n => Math.abs(n[field]!) <= ON_TIME).length;
  const told = `${within('offNow')} of ${known.length} within 30 ms; as sung ${within('offWas')}.`;
  return (
    <section aria-label="How far off">
      <h2 className="text-[11px] font-semibold text-ink-2">How far off, ms</h2>
      <BeforeAfter rows={rows} label={told} place={at => `about ${at} ms`} barSize={9} height={92} every={2} />
      <p className="text-[11.5px] text-ink-2 tabular-nums">{told}</p>
    </section>
  );
}
