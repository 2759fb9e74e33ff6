import { editViewOf, useParts } from '../../open-song';
import { BeforeAfter } from '../BeforeAfter';
import { spreadOf, type TonedNote } from './tones';

/** From the quietest to the loudest note of each phrase, dB: as sung, and as it is. */
export function LevelsChart({ notes }: { notes: readonly TonedNote[] }) {
  const session = useParts('history', 'views', 'editTrackId');
  const rows = editViewOf(session).phrases.flatMap((p, i) => {
    const spread = spreadOf(notes.filter(n => n.start < p.end && n.end > p.start));
    const round = (v: number) => Math.round(v * 10) / 10;
    return spread ? [{ at: i + 1, was: round(spread.was), now: round(spread.now) }] : [];
  });
  if (rows.length < 2) return null;
  return (
    <section aria-label="Levels of the phrases">
      <h2 className="text-[11px] font-semibold text-ink-2">From quiet to loud in each phrase, dB</h2>
      <BeforeAfter
        rows={rows}
        label={rows.map(r => `phrase ${r.at}: ${r.now}, as sung ${r.was}`).join('; ')}
        place={at => `phrase ${at}`}
        barSize={11}
        height={84}
        unit=" dB"
      />
    </section>
  );
}
