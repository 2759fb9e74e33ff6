import { movePhraseBorder, type Phrase } from '@essim/core';
import { useRef, type PointerEvent } from 'react';
import { phraseText } from '../../../field/scene';
import { drop, giveUp, seek } from '../../../open-song';
import { setPhrases } from '../../../commands/tracks';
import type { TrackView } from '@essim/core';
import type { Column } from '../cells';
import { chooseCell, useGather } from '../state';
import { HEAR_BEFORE, LANE, laneStyle, NAMES, type Sight } from './layout';

/** Numbers and words of the phrases; their borders can be dragged. */
interface PhraseHeadsProps {
  phrases: Phrase[];
  columns: Column[];
  view: TrackView;
  sight: Sight;
}

export function PhraseHeads({ phrases, columns, view, sight }: PhraseHeadsProps) {
  const chosen = useGather(s => s.phrase);
  const drag = useRef<{
    index: number;
    side: 'start' | 'end';
    x: number;
    from: number;
    before: readonly Phrase[];
  } | null>(null);
  const grab = (e: PointerEvent, index: number, side: 'start' | 'end') => {
    e.currentTarget.setPointerCapture(e.pointerId);
    e.stopPropagation();
    drag.current = { index, side, x: e.clientX, from: phrases[index][side], before: phrases };
  };
  const move = (e: PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const c = columns[d.index];
    const to = d.from + ((e.clientX - d.x) / c.width) * (c.to - c.from);
    setPhrases('Move a phrase border', () => movePhraseBorder(d.before, d.index, d.side, to), { held: true });
  };
  const end = (how: () => void) => {
    if (drag.current) how();
    drag.current = null;
  };
  return (
    <div className={LANE} style={laneStyle}>
      <span className={NAMES} />
      <div className="relative h-6">
        {phrases.slice(sight.first, sight.last).map((p, k) => {
          const i = sight.first + k;
          return (
            <div key={p.id} className="absolute top-0 h-6" style={{ left: columns[i].left, width: columns[i].width }}>
              <button
                className={`size-full truncate rounded-md px-2 text-left text-[11.5px] font-semibold ${i === chosen ? 'bg-teal-soft text-teal-deep' : 'text-ink-2 hover:bg-rule-soft'}`}
                onClick={() => {
                  chooseCell(i, useGather.getState().takeId);
                  seek(Math.max(0, p.start - HEAR_BEFORE));
                }}
                title={p.name || phraseText(p, view.words)}
              >
                {i + 1} {p.name || phraseText(p, view.words)}
              </button>
              {(['start', 'end'] as const).map(side => (
                <span
                  key={side}
                  className={`absolute inset-y-0 w-[7px] cursor-ew-resize rounded hover:bg-teal ${side === 'start' ? '-left-0.5' : '-right-0.5'}`}
                  role="separator"
                  aria-label={`${side === 'start' ? 'Start' : 'End'} of phrase ${i + 1}`}
                  data-testid={`border-${i}-${side}`}
                  onPointerDown={e => grab(e, i, side)}
                  onPointerMove={move}
                  onPointerUp={() => end(drop)}
                  onPointerCancel={() => end(giveUp)}
                />
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}
