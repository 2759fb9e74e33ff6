import { degreeIn, offByStep, pitchClass, referenceCents, stepName, stepUse } from '@essim/core';
import { Bar, BarChart, Cell, LabelList, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { editViewOf, keyOf, scaleAtOf, scoreOf, useParts } from '../../open-song';

/** Further off than this, a step wants a look. */
const LOOK_CENTS = 10;
const tick = { fontSize: 10, fill: 'var(--ink-2)' };

/** How far off each step of the key is sung on average, and how often each step is sung. */
export function StepCharts() {
  const session = useParts('history', 'views', 'editTrackId', 'backing');
  const { notes } = editViewOf(session);
  const { key } = keyOf(session);
  const off = offByStep(notes, scaleAtOf(session));
  const use = stepUse(notes, referenceCents(scoreOf(session).song));
  const total = use.reduce((s, u) => s + u.seconds, 0) || 1;
  const order = Array.from({ length: 12 }, (_, i) => pitchClass((key?.tonic ?? 0) + i));
  const steps = order
    .filter(s => !Number.isNaN(off[s]))
    .map(s => ({ name: stepName(s, key), cents: Math.round(off[s]) }));
  const shares = order.map(s => ({
    name: stepName(s, key),
    share: Math.round((1000 * use[s].seconds) / total) / 10,
    outside: key ? !degreeIn(scaleAtOf(session)(0), s) : false,
  }));
  const reach = Math.max(15, ...steps.map(s => Math.abs(s.cents) + 6));
  const worst = steps.filter(s => Math.abs(s.cents) > LOOK_CENTS);
  return (
    <>
      <section aria-label="How far off each step is sung">
        <h2 className="text-[11px] font-semibold text-ink-2">How far off each step is sung, cents</h2>
        <div className="mt-1 h-28">
          <ResponsiveContainer width="100%" height="100%">
            <BarChart data={steps} margin={{ top: 12, right: 0, left: 0, bottom: 0 }} barCategoryGap="28%">
              <XAxis dataKey="name" tick={tick} tickLine={false} axisLine={false} interval={0} />
              <YAxis hide domain={[-reach, reach]} />
              <ReferenceLine y={0} stroke="var(--rule)" />
              <Bar dataKey="cents" isAnimationActive={false} radius={2}>
                {steps.map(s => (
                  <Cell key={s.name} fill={Math.abs(s.cents) > LOOK_CENTS ? 'var(--amber)' : 'var(--teal)'} />
                ))}
                <LabelList
                  dataKey="cents"
                  position="top"
                  formatter={(v: unknown) => `${Number(v) > 0 ? '+' : ''}${String(v)}`.replace('-', '−')}
                  style={tick}
                />
              </Bar>
            </BarChart>
          </ResponsiveContainer>
        </div>
        <p className="text-[11.5px] text-ink-2">
          {worst.length
            ? `Sung off on average: ${worst.map(s => `${s.name} by ${s.cents > 0 ? '+' : '−'}${Math.abs(s.cents)}`).join(', ')}.`
            : 'No step is off by more than 10 cents on average.'}
        </p>
      </section>
      <section aria-label="How often each step is sung">
        <h2 className="text-[11px] font-semibold text-ink-2">How often each step is sung, % of the time</h2>
        <div className="mt-1 h-24">
          <ResponsiveContainer width="100%" height="100%">
            <BarChart data={shares} margin={{ top: 4, right: 0, left: 0, bottom: 0 }} barCategoryGap="18%">
              <XAxis dataKey="name" tick={tick} tickLine={false} axisLine={false} interval={0} />
              <YAxis hide />
              <Tooltip
                cursor={{ fill: 'var(--rule-soft)' }}
                formatter={v => [`${String(v)} %`, 'sung']}
                contentStyle={{ background: 'var(--card)', border: '1px solid var(--rule)', borderRadius: 8 }}
              />
              <Bar dataKey="share" isAnimationActive={false} radius={2}>
                {shares.map(s => (
                  <Cell key={s.name} fill={s.outside ? 'var(--amber)' : 'var(--teal)'} />
                ))}
              </Bar>
            </BarChart>
          </ResponsiveContainer>
        </div>
        {key && shares.some(s => s.outside && s.share > 0) && (
          <p className="text-[11.5px] text-ink-2">Amber: nearest a step outside the key.</p>
        )}
      </section>
    </>
  );
}
