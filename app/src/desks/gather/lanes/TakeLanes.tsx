import type { Track } from '@essim/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useSession } from '../../../open-song';
import type { TrackView } from '@essim/core';
import { columnsOf, type PhraseCells } from '../cells';
import { ChordRow } from '../ChordRow';
import { useGather } from '../state';
import { CompLane } from './CompLane';
import { NAMES_WIDTH } from './layout';
import { PhraseHeads } from './PhraseHeads';
import { TakeLane } from './TakeLane';

interface LanesProps {
  track: Track;
  view: TrackView;
  cells: readonly PhraseCells[];
  room: number;
}

/** Drawn beyond what is in sight, px; scrolling draws anew each time it has gone so far. */
const AROUND = 400;

/** Takes above each other with phrases as cells, and the comp under them. */
export function TakeLanes({ track, view, cells, room }: LanesProps) {
  const { phrases } = view;
  const columns = useMemo(() => columnsOf(phrases, room - NAMES_WIDTH - 8), [phrases, room]);
  const width = (columns.at(-1)?.left ?? 0) + (columns.at(-1)?.width ?? 0);
  const reading = useSession(s => track.takes.some(t => s.takes[t.id]?.status === 'reading'));
  const host = useRef<HTMLDivElement>(null);
  const chosen = useGather(s => s.phrase);
  const [scrolled, setScrolled] = useState(0);
  const sight = useMemo(() => {
    const first = columns.findIndex(c => c.left + c.width > scrolled - AROUND);
    const after = columns.findIndex(c => c.left > scrolled + room + 2 * AROUND);
    return { first: Math.max(0, first), last: after < 0 ? columns.length : after };
  }, [columns, scrolled, room]);
  useEffect(() => {
    // the chosen phrase comes into sight, wherever it was chosen
    const column = columns[chosen];
    const e = host.current;
    if (!column || !e) return;
    const seen = e.clientWidth - NAMES_WIDTH - 8;
    if (column.left < e.scrollLeft) e.scrollLeft = column.left;
    else if (column.left + column.width > e.scrollLeft + seen) e.scrollLeft = column.left + column.width - seen;
  }, [columns, chosen]);
  if (!phrases.length)
    return (
      <p className="card mt-3 text-ink-2">
        {reading || view.status === 'waiting' || view.status === 'reading'
          ? 'The takes are being read; their phrases appear here.'
          : 'No sung phrase was found in these takes.'}
      </p>
    );
  return (
    <div
      ref={host}
      className="mt-3 overflow-x-auto pb-1"
      data-testid="lanes"
      onScroll={e => setScrolled(Math.floor(e.currentTarget.scrollLeft / AROUND) * AROUND)}
    >
      <div className="space-y-2" style={{ width: NAMES_WIDTH + 8 + width }}>
        <PhraseHeads phrases={phrases} columns={columns} view={view} sight={sight} />
        <ChordRow columns={columns} />
        {track.takes.map(take => (
          <TakeLane
            key={take.id}
            track={track}
            take={take}
            phrases={phrases}
            columns={columns}
            cells={cells}
            sight={sight}
          />
        ))}
        {track.takes.length > 0 && <CompLane track={track} view={view} columns={columns} sight={sight} />}
      </div>
    </div>
  );
}
