import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import type { TimedNote } from './timed';

const EDGES = [-100, -80, -60, -40, -20, 0, 20, 40, 60, 80, 100];

/** How far off the notes of the track are beside what they are told by: as they were, and as they are. */
export function OffsetsChart({ notes }: { notes: readonly TimedNote[] }) {
  const rows = EDGES.map(middle => ({ middle, was: 0, now: 0 }));
  const count = (off: number | null, field: 'was' | 'now') => {
    if (off === null) return;
    const i = Math.round((off * 1000 - EDGES[0]) / 20);
    rows[Math.max(0, Math.min(rows.length - 1, i))][field]++;
  };
  for (const n of notes) {
    count(n.offWas, 'was');
    count(n.offNow, 'now');
  }
  if (!rows.some(r => r.was || r.now)) return null;
  const within = (field: 'offWas' | 'offNow') =>
    notes.filter(n => n[field] !== null && Math.abs(n[field]) <= 0.03).length;
  return (
    <section aria-label="How far off">
      <h2 className="text-[11px] font-semibold text-ink-2">How far off, ms</h2>
      <div
        className="h-[92px]"
        role="img"
        aria-label={`${within('offNow')} of ${notes.length} notes within 30 ms; as sung ${within('offWas')}`}
      >
        <ResponsiveContainer width="100%" height="100%">
          <BarChart data={rows} barGap={-9} margin={{ top: 4, right: 4, bottom: 0, left: 4 }}>
            <XAxis
              dataKey="middle"
              tick={{ fontSize: 10, fill: 'var(--ink-2)' }}
              interval={1}
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
              labelFormatter={v => `about ${String(v)} ms`}
            />
            <Bar name="as sung" dataKey="was" fill="none" stroke="var(--ink-3)" barSize={9} isAnimationActive={false} />
            <Bar name="now" dataKey="now" fill="var(--teal)" barSize={9} isAnimationActive={false} />
          </BarChart>
        </ResponsiveContainer>
      </div>
      <p className="text-[11.5px] text-ink-2 tabular-nums">
        {within('offNow')} of {notes.length} within 30 ms; as sung {within('offWas')}.
      </p>
    </section>
  );
}
