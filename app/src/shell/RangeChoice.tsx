import { RANGES, setTake, together, type Range, type Track } from '@essim/core';
import { change } from '../open-song';

const NAMES = { auto: 'automatic', low: 'low', mid: 'middle', high: 'high' } as const;

/** The compass the voice is looked for in; changing it reads the track's takes again. */
export function RangeChoice({ track }: { track: Track }) {
  return (
    <select
      className="min-w-0 rounded-lg border border-rule bg-card px-2 py-1"
      aria-label={`Range of ${track.name}`}
      value={track.takes[0]?.range ?? 'auto'}
      title="The compass Essim looks for the voice in; changing it reads the takes again"
      onChange={e => {
        const range = e.target.value as Range;
        const label = `${track.name}: range ${NAMES[range]}`;
        const changes = track.takes.map(t => setTake(track.id, t.id, { range }));
        change(label, together(changes));
      }}
    >
      {RANGES.map(r => (
        <option key={r} value={r}>
          {NAMES[r]}
        </option>
      ))}
    </select>
  );
}
