import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';

export interface BeforeAfterRow {
  at: number;
  was: number;
  now: number;
}

interface BeforeAfterProps {
  rows: readonly BeforeAfterRow[];
  /** The chart in words. */
  label: string;
  /** What a place along it is called. */
  place: (at: number) => string;
  barSize: number;
  height: number;
  /** Every so many places are named. */
  every?: number;
  unit?: string;
}

/** Bars before and after, one behind the other: as sung an outline, as it is filled. */
export function BeforeAfter({ rows, label, place, barSize, height, every = 1, unit }: BeforeAfterProps) {
  return (
    <div style={{ height }} role="img" aria-label={label}>
      <ResponsiveContainer width="100%" height="100%">
        <BarChart data={[...rows]} barGap={-barSize} margin={{ top: 4, right: 4, bottom: 0, left: 4 }}>
          <XAxis
            dataKey="at"
            tick={{ fontSize: 10, fill: 'var(--ink-2)' }}
            interval={every - 1}
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
            labelFormatter={at => place(Number(at))}
          />
          <Bar
            name="as sung"
            dataKey="was"
            fill="none"
            stroke="var(--ink-3)"
            barSize={barSize}
            unit={unit}
            isAnimationActive={false}
          />
          <Bar name="now" dataKey="now" fill="var(--teal)" barSize={barSize} unit={unit} isAnimationActive={false} />
        </BarChart>
      </ResponsiveContainer>
    </div>
  );
}
