import { useState } from 'react';
import { songOf, useSession } from '../../open-song';
import { timeOfX, xOfTime, type Column } from './cells';
import { setChord } from './edits';
import { LANE, laneStyle, NAMES } from './lanes/layout';

/** Chords of the backing over the lanes: click one to change it, double-click between to add one, empty it to take it away. */
export function ChordRow({ columns }: { columns: Column[] }) {
  const song = useSession(songOf);
  const [editing, setEditing] = useState<{ start: number; name: string } | null>(null);
  if (!song) return null;
  const shown = song.chords.map((c, i) => ({
    ...c,
    x: xOfTime(columns, c.start),
    end: xOfTime(columns, song.chords[i + 1]?.start ?? Infinity),
  }));
  const finish = (text: string) => {
    if (editing && text.trim() !== editing.name) setChord(editing.start, text.trim());
    setEditing(null);
  };
  return (
    <div className={LANE} style={laneStyle}>
      <span className={`${NAMES} py-0.5 text-[11px] font-semibold text-ink-2`}>Chords</span>
      <div
        className="relative h-5"
        data-testid="chords"
        title="Double-click to add a chord"
        onDoubleClick={e => {
          if (e.target !== e.currentTarget) return;
          const x = e.clientX - e.currentTarget.getBoundingClientRect().left;
          setEditing({ start: Math.max(0, Math.round(timeOfX(columns, x) * 1000) / 1000), name: '' });
        }}
      >
        {shown
          .filter(c => c.end - c.x > 16 || c.x > 0)
          .filter(c => c.end - c.x > 12)
          .map(c => (
            <button
              key={c.start}
              className="absolute top-0 h-5 truncate rounded-r border-l-2 border-teal pl-1 text-left text-[11.5px] font-semibold text-teal-deep hover:bg-teal-soft"
              style={{ left: c.x, width: Math.max(14, c.end - c.x - 2) }}
              aria-label={`Chord ${c.name} at ${c.start.toFixed(2)} s`}
              onClick={() => setEditing({ start: c.start, name: c.name })}
            >
              {c.name}
            </button>
          ))}
        {!song.chords.length && (
          <span className="pointer-events-none text-[11.5px] text-ink-2">
            none yet: estimate them below, or double-click here
          </span>
        )}
        {editing && (
          <input
            className="absolute -top-0.5 z-10 w-16 rounded border border-teal bg-card px-1"
            style={{ left: xOfTime(columns, editing.start) }}
            aria-label="Chord"
            defaultValue={editing.name}
            maxLength={20}
            autoFocus
            onBlur={e => finish(e.target.value)}
            onKeyDown={e => {
              e.stopPropagation();
              if (e.key === 'Enter') e.currentTarget.blur();
              if (e.key === 'Escape') setEditing(null);
            }}
          />
        )}
      </div>
    </div>
  );
}
