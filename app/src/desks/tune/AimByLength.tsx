import { create } from 'zustand';
import { act, type How } from '../../open-song';
import type { Target } from './edits';
import { Section } from '../../shell/Section';
import { ValueRow, type ValueLook } from '../../shell/ValueRow';

/** Short notes further to their rails than long ones: two lengths, an amount at each, straight between. */
interface ByLength {
  shortMs: number;
  short: number;
  longMs: number;
  long: number;
}
const useByLength = create<ByLength>(() => ({ shortMs: 150, short: 100, longMs: 600, long: 70 }));

const VALUES: readonly (ValueLook & { field: keyof ByLength })[] = [
  { field: 'shortMs', name: 'Up to', unit: 'ms', low: 20, high: 500, mostTyped: 10000, step: 10, rest: 150 },
  { field: 'short', name: 'Aim', unit: '%', low: 0, high: 100, step: 1, rest: 100 },
  { field: 'longMs', name: 'From', unit: 'ms', low: 200, high: 2000, mostTyped: 10000, step: 10, rest: 600 },
  { field: 'long', name: 'Aim', unit: '%', low: 0, high: 100, step: 1, rest: 70 },
];

function set(field: keyof ByLength, value: number | null, how: How): void {
  if (value === null) return;
  const next = { ...useByLength.getState(), [field]: value };
  // the one length gives way to the other
  if (field === 'shortMs') next.longMs = Math.max(next.longMs, value + 10);
  if (field === 'longMs') next.shortMs = Math.min(next.shortMs, value - 10);
  useByLength.setState(next);
  act('aim-by-length', { ...next }, how);
}

const WIDTH = 236;
const HEIGHT = 44;
const LONGEST_MS = 1600;

export function AimByLength({ list }: { list: Target[] }) {
  const { shortMs, short, longMs, long } = useByLength();
  const x = (ms: number) => (Math.min(ms, LONGEST_MS) / LONGEST_MS) * WIDTH;
  const y = (aim: number) => 3 + (1 - aim / 100) * (HEIGHT - 6);
  const aimAt = (ms: number) =>
    ms <= shortMs ? short : ms >= longMs ? long : short + ((long - short) * (ms - shortMs)) / (longMs - shortMs);
  return (
    <Section title="Aim by length" summary={`${short} % to ${long} %`}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full rounded border border-rule-soft"
        role="img"
        aria-label={`Aim ${short} % up to ${shortMs} ms, ${long} % from ${longMs} ms on`}
      >
        <polyline
          points={`0,${y(short)} ${x(shortMs)},${y(short)} ${x(longMs)},${y(long)} ${WIDTH},${y(long)}`}
          fill="none"
          stroke="var(--teal)"
          strokeWidth={1.6}
        />
        {list.map(t => {
          const ms = (t.note.end - t.note.start) * 1000;
          return <circle key={t.note.key} cx={x(ms)} cy={y(aimAt(ms))} r={2.2} fill="var(--ink-2)" />;
        })}
      </svg>
      {VALUES.map(({ field, ...look }) => (
        <ValueRow
          key={field}
          {...look}
          label={`${look.name}, ${field.startsWith('short') ? 'short notes' : 'long notes'}`}
          values={list.length ? [useByLength.getState()[field]] : []}
          kind={`aim by length ${field}`}
          onSet={(value, how) => set(field, value, how)}
        />
      ))}
    </Section>
  );
}
