import { BANDS } from '@essim/core';
import { Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import type { TonedNote } from './tones';

const hz = (v: number) => (v < 1000 ? `${Math.round(v)}` : `${(v / 1000).toFixed(v < 3000 ? 1 : 0)} k`);

/** What the chosen notes have more or less of than the track on the whole: as sung dashed, as they are drawn out. */
export function EnvelopeChart({ list }: { list: readonly TonedNote[] }) {
  const heard = list.filter(n => n.colour);
  if (!heard.length) return null;
  const mean = (of: (n: TonedNote, b: number) => number, b: number) =>
    heard.reduce((s, n) => s + of(n, b), 0) / heard.length;
  const rows = Array.from(BANDS, (f, b) => ({
    f,
    sung: mean((n, i) => n.colour![i], b),
    now: mean((n, i) => n.colour![i] + (n.added?.[i] ?? 0), b),
  }));
  return (
    <div
      className="h-[74px]"
      role="img"
      aria-label={`Colour beside the track on the whole: ${rows.map(r => `${hz(r.f)} Hz ${r.now.toFixed(1)} dB`).join(', ')}`}
    >
      <ResponsiveContainer width="100%" height="100%">
        <LineChart data={rows} margin={{ top: 4, right: 6, bottom: 0, left: 6 }}>
          <XAxis
            dataKey="f"
            type="number"
            scale="log"
            domain={[BANDS[0], BANDS[BANDS.length - 1]]}
            ticks={[200, 2000, 8000]}
            tickFormatter={(v: number) => `${hz(v)}Hz`.replace('k', 'k')}
            tick={{ fontSize: 10, fill: 'var(--ink-2)' }}
            tickLine={false}
            axisLine={{ stroke: 'var(--rule)' }}
          />
          <YAxis hide domain={[-12, 12]} allowDataOverflow />
          <Line dataKey="sung" stroke="var(--ink-3)" strokeDasharray="3 3" dot={false} isAnimationActive={false} />
          <Line dataKey="now" stroke="var(--teal)" strokeWidth={2} dot={false} isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}
