import { estimateReference, noteName, setSong } from '@essim/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { NumberInput } from '../../../shell/inputs';
import { RangeChoice } from '../../../shell/RangeChoice';
import { editTrackOf, editViewOf, change, keyOf, songOf, useSession } from '../../../open-song';
import { estimateChords } from '../edits';

const RANGES_READ = { low: 'low', mid: 'middle', high: 'high', auto: 'automatic' } as const;

/** What is sung, the range it is looked for in, and the pitch it is tuned to. */
export function VoiceCard() {
  const song = useSession(songOf);
  const track = useSession(editTrackOf);
  const view = useSession(editViewOf);
  const backing = useSession(s => s.backing);
  const [estimated, setEstimated] = useState('');
  const { key } = keyOf(useSession.getState());
  const estimate = () => {
    const found = estimateReference(view.reading?.notes ?? [], backing);
    if (!found) return toast('There are too few notes and no clear backing to tell the reference pitch from.');
    const hz = Math.abs(found.cents) < 1.5 ? 440 : found.hz;
    change(`A = ${hz} Hz, estimated`, setSong({ referenceHz: hz }));
    setEstimated(
      `${found.cents >= 0 ? '+' : '−'}${Math.abs(found.cents).toFixed(1)} cents, from the ${found.from}, ${Math.round(found.confidence * 100)} % sure`,
    );
  };
  const pitches = view.notes.map(n => n.sung);
  const read = view.reading && RANGES_READ[view.reading.range];
  return (
    <section className="card flex flex-col" aria-label="Voice">
      <h2 className="text-[12.5px] font-semibold">Voice</h2>
      <div className="mt-1 grid grid-cols-[62px_1fr] items-center gap-x-2 gap-y-1.5">
        <span className="text-ink-2">Sung</span>
        <span className="font-semibold">
          {pitches.length
            ? `${noteName(Math.min(...pitches), key)} to ${noteName(Math.max(...pitches), key)}, read as ${read}`
            : '–'}
        </span>
        {track && track.role !== 'backing' && (
          <>
            <span className="text-ink-2">Range</span>
            <RangeChoice track={track} />
          </>
        )}
        <span className="text-ink-2">Reference</span>
        <span className="flex items-center gap-1.5">
          <span className="whitespace-nowrap">A =</span>
          <NumberInput
            label="Reference pitch in hertz"
            value={song?.referenceHz ?? 440}
            low={400}
            high={480}
            digits={1}
            onSet={referenceHz => change(`A = ${referenceHz} Hz`, setSong({ referenceHz }))}
          />
          Hz
        </span>
      </div>
      {estimated && <p className="mt-1 text-[11.5px] text-ink-2">{estimated}</p>}
      <span className="flex-1" />
      <div className="mt-2 flex items-center gap-1.5">
        <span className="text-ink-2">Estimate</span>
        <button className="btn flex-1" onClick={estimate} title="How far voice and backing lie from A = 440 Hz">
          Tuning
        </button>
        <button className="btn flex-1" disabled={!backing} onClick={estimateChords}>
          Chords
        </button>
      </div>
      <div className="mt-1.5 flex">
        {track && (
          <Link className="btn btn-ink flex-1" to="../tune">
            Start tuning
          </Link>
        )}
      </div>
    </section>
  );
}
