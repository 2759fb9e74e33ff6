import type { PicturedVoice } from './pictured';

const WIDTH = 300;
const HEIGHT = 110;
const SIDE = 8;
/** Where notes lie, and the middle of the bars, from the top. */
const NOTES = { top: 10, height: 46 };
const BARS_AT = 84;
const TALLEST_BAR = 40;

/** A small picture of a voice: its loudness as bars, its notes as lines above them. */
export function VoicePicture({
  voice: { seconds, loud, notes },
  className,
}: {
  voice: PicturedVoice;
  className: string;
}) {
  const sung = notes.map(q => q.pitch);
  const [low, high] = [Math.min(...sung) - 1, Math.max(...sung) + 1];
  const x = (t: number) => SIDE + (t / seconds) * (WIDTH - 2 * SIDE);
  const y = (midi: number) => NOTES.top + (1 - (midi - low) / (high - low)) * NOTES.height;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className={`block w-full ${className}`}
      preserveAspectRatio="none"
      aria-hidden
    >
      {loud.map((share, i) => {
        const height = Math.max(1.5, share * TALLEST_BAR);
        return (
          <rect
            key={i}
            x={x((i / loud.length) * seconds)}
            y={BARS_AT - height / 2}
            width={1.9}
            height={height}
            fill="var(--teal)"
            opacity={0.35}
          />
        );
      })}
      {notes.map(q => (
        <line
          key={q.start}
          x1={x(q.start)}
          x2={x(Math.min(q.end, seconds))}
          y1={y(q.pitch)}
          y2={y(q.pitch)}
          stroke="var(--teal)"
          strokeWidth={2.6}
          strokeLinecap="round"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  );
}
