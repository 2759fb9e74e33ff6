import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { editViewOf, useParts } from '../../open-song';
import type { TonedNote } from './tones';

/** From the quietest to the loudest note of each phrase, dB: as sung, and as it is. */
export function LevelsChart({ notes }: { notes: readonly TonedNote[] }) {
  const session = useParts('history', 'views', 'editTrackId');
  const { phrases } = editViewOf(session);
  const rows = phrases.flatMap((p, i) => {
    const mine = notes.filter(n => n.sungDb !== null && !n.edit?.silent && n.start < p.end && n.end > p.start);
    if (mine.length < 2) return [];
    const range = (of: (n: TonedNote) => number) => Math.max(...mine.map(of)) - Math.min(...mine.map(of));
    const round = (v: number) => Math.round(v * 10) / 10;
    return [{ phrase: i + 1, was: round(range(n => n.sungDb!)), now: round(range(n => n.nowDb!)) }];
  });
  if (rows.length < 2) return null;
  return (
    <section aria-label="Levels of the phrases">
      <h2 className="text-[11px] font-semibold text-ink-2">From quiet to loud in each phrase, dB</h2>
      <div
        className="h-[84px]"
        role="img"
        aria-label={rows.map(r => `phrase ${r.phrase}: ${r.now}, as sung ${r.was}`).join('; ')}
      >
        <ResponsiveContainer width="100%" height="100%">
          <BarChart data={rows} barGap={-11} margin={{ top: 4, right: 4, bottom: 0, left: 4 }}>
            <XAxis
              dataKey="phrase"
              tick={{ fontSize: 10, fill: 'var(--ink-2)' }}
              tickLine={false}
              axisLine={{ stroke: 'var(--rule)' }}
            />
            <YAxis hide />
            <Tooltip
              cursor={{ fill: 'var(--rule-soft)' }}
              contentStyle={{
                background: 'var(--panel)',
                border: '1px solid var(--rule)',
                borderRadius: 8,
                fontSize: 11.5,
              }}
              labelFormatter={v => `phrase ${String(v)}`}
            />
            <Bar
              name="as sung"
              dataKey="was"
              fill="none"
              stroke="var(--ink-3)"
              barSize={11}
              unit=" dB"
              isAnimationActive={false}
            />
            <Bar name="now" dataKey="now" fill="var(--teal)" barSize={11} unit=" dB" isAnimationActive={false} />
          </BarChart>
        </ResponsiveContainer>
      </div>
    </section>
  );
}
