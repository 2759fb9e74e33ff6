import type { Take } from '@essim/core';
import { useQuery } from '@tanstack/react-query';
import { withFiles } from '../jobs/files-client';

const WIDTH = 300;
const HEIGHT = 110;
const BARS = 100;

/** A small picture of the voice from its reading: loudness as bars, pitch as a line above them. */
export function Miniature({ take }: { take: Take | undefined }) {
  const { data } = useQuery({
    queryKey: ['miniature', take?.sourceId],
    enabled: !!take,
    queryFn: async () => {
      const { sourceId, range, channels } = take!;
      return (await withFiles(async job => job.cachedReading({ sourceId, range, channels }))) ?? null;
    },
  });
  if (!data) return <span className="grid h-[110px] place-items-center text-ink-3">not read yet</span>;
  const n = data.f0.length;
  const levels = Array.from({ length: BARS }, (_, i) => {
    let loud = -120;
    for (let k = Math.floor((i * n) / BARS); k < ((i + 1) * n) / BARS; k++)
      loud = Math.max(loud, data.levelDb[k] ?? -120);
    return Math.max(1, Math.min(26, (loud + 52) * 0.7));
  });
  const sung = data.notes.map(q => q.pitch);
  const [low, high] = [Math.min(...sung) - 1, Math.max(...sung) + 1];
  const x = (t: number) => 8 + (t / data.duration) * (WIDTH - 16);
  const y = (midi: number) => 10 + (1 - (midi - low) / (high - low)) * 46;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="block h-[110px] w-full" preserveAspectRatio="none" aria-hidden>
      {levels.map((h, i) => (
        <rect
          key={i}
          x={8 + (i / BARS) * (WIDTH - 16)}
          y={84 - h / 1.3}
          width={1.9}
          height={(2 * h) / 1.3}
          fill="var(--teal)"
          opacity={0.35}
        />
      ))}
      {data.notes.map(q => (
        <line
          key={q.start}
          x1={x(q.start)}
          x2={x(q.end)}
          y1={y(q.pitch)}
          y2={y(q.pitch)}
          stroke="var(--teal)"
          strokeWidth={2.6}
          strokeLinecap="round"
        />
      ))}
    </svg>
  );
}
