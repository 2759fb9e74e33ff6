import { clipsOf, type Track } from '@essim/core';
import { useRef } from 'react';
import { trackColour } from '../../../field/palette';
import { seek, useSession } from '../../../open-song';
import type { TakeView, TrackView } from '@essim/core';
import { timeOfX, xOfTime, type Column } from '../cells';
import { dragJoin, nudgeJoin } from '../edits';
import { chooseCell } from '../state';
import { Grip } from './Grip';
import { HEAR_BEFORE, LANE, laneStyle, NAMES, type Sight } from './layout';
import { takeLabel } from './take-label';
import { Wave } from './Wave';

/** The comp as it is heard, with its joins to drag. */
interface CompLaneProps {
  track: Track;
  view: TrackView;
  columns: Column[];
  sight: Sight;
}

export function CompLane({ track, view, columns, sight }: CompLaneProps) {
  const takes = useSession(s => s.takes);
  const body = useRef<HTMLDivElement>(null);
  const clips = clipsOf(track);
  const colour = `var(--${trackColour(track)})`;
  return (
    <div className={LANE} style={laneStyle} data-testid="comp">
      <div className={NAMES}>
        <b className="block truncate font-semibold">{track.name}</b>
        <span className="block text-[11px] text-ink-2">as chosen</span>
      </div>
      <div ref={body} className="relative h-[62px] touch-none">
        {view.phrases.slice(sight.first, sight.last).map((p, k) => {
          const i = sight.first + k;
          const c = columns[i];
          const inside = clips.filter(q => q.to > p.start && q.from < p.end);
          const used = [...new Set(inside.map(q => track.takes.find(t => t.id === q.takeId)))];
          const names = used.map(t => t?.name ?? '');
          return (
            <button
              key={p.id}
              className="absolute inset-y-0 overflow-hidden rounded-lg border border-teal bg-card text-left"
              style={{ left: c.left, width: c.width }}
              data-testid={`comp-${i + 1}`}
              onClick={() => {
                chooseCell(i, null);
                seek(Math.max(0, p.start - HEAR_BEFORE));
              }}
              title={`Phrase ${i + 1}: ${names.join(', ')}`}
            >
              <CompWave clips={clips} takes={takes} column={c} colour={colour} />
              <span className="block truncate px-2 text-[11px] text-ink-2">
                {used.map(t => takeLabel(track, t)).join(' + ')}
              </span>
            </button>
          );
        })}
        {track.segments.slice(1).map((g, k) => {
          const index = k + 1;
          const x = xOfTime(columns, g.at);
          return (
            <Grip
              key={index}
              label={`Join ${index}`}
              at={g.at}
              testId={`join-${index}`}
              title="Drag the join; arrow keys move it by 10 ms"
              className="absolute inset-y-0 -ml-[5px] flex w-[10px] cursor-ew-resize justify-center"
              style={{ left: x }}
              // joins are moved from where they were when one was grabbed
              taken={() => track}
              move={(from, to) =>
                dragJoin(from, index, timeOfX(columns, to - body.current!.getBoundingClientRect().left))
              }
              nudge={by => nudgeJoin(track, index, by)}
            >
              <span className="h-full w-[3px] rounded bg-ink" />
            </Grip>
          );
        })}
      </div>
    </div>
  );
}

function CompWave({
  clips,
  takes,
  column,
  colour,
}: {
  clips: ReturnType<typeof clipsOf>;
  takes: Record<string, TakeView>;
  column: Column;
  colour: string;
}) {
  const scale = column.width / (column.to - column.from);
  return (
    <span className="relative block h-[38px]">
      {clips
        .filter(c => c.to > column.from && c.from < column.to && takes[c.takeId]?.reading)
        .map(c => {
          const from = Math.max(c.from, column.from);
          const to = Math.min(c.to, column.to);
          return (
            <span key={c.from} className="absolute top-0" style={{ left: (from - column.from) * scale }}>
              <Wave
                view={takes[c.takeId]}
                from={from - c.shift}
                to={to - c.shift}
                width={Math.max(15, (to - from) * scale)}
                colour={colour}
              />
            </span>
          );
        })}
    </span>
  );
}
