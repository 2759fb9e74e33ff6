import { counted } from '@essim/core';
import { Music, Pencil } from 'lucide-react';
import { setKeys, useKeys } from '../../keyboard/keys';
import { useParts } from '../../open-song';
import { MidiFileButton } from '../../shell/FileButton';
import { TypedValue } from '../../shell/TypedValue';
import {
  forgetFile,
  guideByFile,
  guideByTrack,
  guideNow,
  noGuide,
  setFold,
  setGuiding,
  setOffset,
  settleOnGuide,
  toggleGuideHeard,
  useGuiding,
} from './guide';

/** The melody that notes are meant to sing: from a file, drawn, or played. */
export function GuideCard() {
  const session = useParts('history', 'draft', 'editTrackId', 'guideHeard');
  const guide = guideNow(session);
  const { on, file } = useGuiding();
  const keys = useKeys(s => s.on);
  return (
    <section aria-label="Melody guide" className="border-t border-rule-soft pt-1.5">
      <div className="flex items-baseline gap-2">
        <span className="text-[11px] font-semibold text-ink-2">Melody guide</span>
        <span className="ml-auto truncate text-[11.5px] text-ink-2">
          {guide ? `${guide.name}, ${counted(guide.notes.length, 'note')}` : 'none'}
        </span>
      </div>
      {file && (
        <div className="mt-1 rounded border border-rule p-1" role="group" aria-label="Which melody">
          <p className="px-1 text-[11.5px] text-ink-2">Which of its melodies?</p>
          {file.tracks.map((t, i) => (
            <button
              key={i}
              className="flex w-full gap-2 rounded px-2 py-0.5 text-left hover:bg-teal-soft"
              onClick={() => guideByTrack(i)}
            >
              <span className="truncate">{t.name}</span>
              <span className="ml-auto text-ink-2">{counted(t.notes.length, 'note')}</span>
            </button>
          ))}
          <button className="px-2 text-xs font-semibold text-teal" onClick={forgetFile}>
            none of them
          </button>
        </div>
      )}
      <div className="mt-1 flex gap-1.5">
        <MidiFileButton testId="guide-file" onFile={guideByFile}>
          File…
        </MidiFileButton>
        <button
          className={`btn flex-1 ${on ? 'btn-on' : ''}`}
          aria-pressed={on}
          onClick={() => setGuiding(!on)}
          title="Drag in the field for a note, drag a note to move it, Alt and click takes it away"
        >
          <Pencil size={12} aria-hidden /> {on ? 'Drawing' : 'Draw'}
        </button>
        <button
          className={`btn flex-1 ${keys ? 'btn-on' : ''}`}
          aria-pressed={keys}
          onClick={() => setKeys(!keys)}
          title="Play it on the computer’s keys or a MIDI keyboard while the song runs"
        >
          <Music size={12} aria-hidden /> Keys
        </button>
      </div>
      {guide && (
        <>
          <div className="mt-1.5 grid grid-cols-[1fr_74px] items-center gap-y-0.5">
            <span>Heard later than written</span>
            <TypedValue
              label="Guide offset"
              text={`${guide.offsetSeconds.toFixed(2)} s`.replace('-', '−')}
              value={guide.offsetSeconds}
              low={-86400}
              high={86400}
              unit="s"
              onSet={v => v !== null && setOffset(v, {})}
            />
          </div>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={guide.fold} onChange={e => setFold(e.target.checked)} />
            In the octave that is sung
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={session.guideHeard} onChange={toggleGuideHeard} />
            Heard as a piano
          </label>
          <div className="mt-1 flex gap-1.5">
            <button className="btn btn-ink flex-1" onClick={settleOnGuide}>
              Settle on it
            </button>
            <button className="btn flex-1" onClick={noGuide}>
              Take it away
            </button>
          </div>
        </>
      )}
    </section>
  );
}
