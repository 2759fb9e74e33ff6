import { movePhraseBorder, type Phrase } from '@essim/core';
import { phraseText } from '../../../field/scene';
import { seek } from '../../../open-song';
import { setPhrases } from '../../../commands/tracks';
import type { TrackView } from '@essim/core';
import type { Column } from '../cells';
import { chooseCell, useGather } from '../state';
import { Grip } from './Grip';
import { HEAR_BEFORE, LANE, laneStyle, NAMES, type Sight } from './layout';

const MOVE = 'Move a phrase border';

/** Numbers and words of the phrases; their borders are dragged, or moved by key. */
interface PhraseHeadsProps {
  phrases: Phrase[];
  columns: Column[];
  view: TrackView;
  sight: Sight;
}

export function PhraseHeads({ phrases, columns, view, sight }: PhraseHeadsProps) {
  const chosen = useGather(s => s.phrase);
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
                <Grip
                  key={side}
                  label={`${side === 'start' ? 'Start' : 'End'} of phrase ${i + 1}`}
                  at={p[side]}
                  testId={`border-${i}-${side}`}
                  title="Drag the border; arrow keys move it by 10 ms"
                  className={`absolute inset-y-0 w-[7px] cursor-ew-resize rounded hover:bg-teal ${side === 'start' ? '-left-0.5' : '-right-0.5'}`}
                  taken={() => phrases}
                  move={(before, to, from) => {
                    const c = columns[i];
                    const moved = before[i][side] + ((to - from) / c.width) * (c.to - c.from);
                    setPhrases(MOVE, () => movePhraseBorder(before, i, side, moved), { held: true });
                  }}
                  nudge={by =>
                    setPhrases(MOVE, list => movePhraseBorder(list as Phrase[], i, side, p[side] + by), {
                      kind: `border ${p.id} ${side}`,
                    })
                  }
                />
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}
