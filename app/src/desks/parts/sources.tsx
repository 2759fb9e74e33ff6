import { noteName, partName, type Track } from '@essim/core';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { addPart, makeParts, partByFile } from '../../commands/parts';
import { setKeys, useKeys } from '../../keyboard/keys';
import { editTrackOf, keyOf, songOf, useParts } from '../../open-song';
import { MidiFileButton } from '../../shell/FileButton';
import { chordParts, QUICK, voicesAbout } from './actions';
import { armKeys } from './live';
import { useSource } from './state';

/** Where a part's pitches come from: what is asked for each way, and the button. */

export interface FromProps {
  lead: Track;
  ready: boolean;
}

export function FromSteps({ ready }: FromProps) {
  const session = useParts('history', 'views', 'backing');
  const { key } = keyOf(session);
  const [semitones, setSemitones] = useState(4);
  return (
    <>
      {!key && <p className="mb-1.5 text-amber">Set a key at Gather: steps are counted in it.</p>}
      <div className="grid grid-cols-2 gap-1.5">
        {QUICK.map(({ line, key: keys }) => (
          <button
            key={partName(line)}
            className="btn"
            disabled={!ready || (line.by === 'steps' && !key)}
            title={keys}
            onClick={() => addPart(line)}
          >
            {partName(line)}
          </button>
        ))}
      </div>
      <div className="mt-1.5 flex items-center gap-1.5">
        <Semitones value={semitones} onChange={setSemitones} />
        <button className="btn" disabled={!ready} onClick={() => addPart({ by: 'semitones', amount: semitones })}>
          Make
        </button>
      </div>
    </>
  );
}

const FIELD = 'min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5';
const INTERVALS = Array.from({ length: 49 }, (_, i) => 24 - i);

function Semitones({ value, onChange, zero }: { value: number; onChange: (v: number) => void; zero?: boolean }) {
  return (
    <select className={FIELD} aria-label="Semitones" value={value} onChange={e => onChange(Number(e.target.value))}>
      {INTERVALS.filter(n => zero ?? n).map(n => (
        <option key={n} value={n}>
          {n ? `${n > 0 ? '+' : '−'}${Math.abs(n)} semitones` : 'its own pitch'}
        </option>
      ))}
    </select>
  );
}

/** How many voices the next parts have. */
function HowMany({ label, name, disabled }: { label: string; name: (n: number) => string; disabled?: boolean }) {
  const { voices } = useSource();
  return (
    <select
      className={FIELD}
      aria-label={label}
      value={voices}
      disabled={disabled}
      onChange={e => useSource.setState({ voices: Number(e.target.value) })}
    >
      {[1, 2, 3, 4].map(n => (
        <option key={n} value={n}>
          {name(n)}
        </option>
      ))}
    </select>
  );
}

export function FromChords({ lead, ready }: FromProps) {
  const session = useParts('history', 'views', 'backing', 'editTrackId');
  const { voices } = useSource();
  const { key } = keyOf(session);
  const { chords } = songOf(session)!;
  const compasses = ready ? voicesAbout(lead, voices) : [];
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        {chords.length
          ? `Led through the song’s ${chords.length} chords, together, each in its compass.`
          : 'No chords are known yet: they are led by the key alone. Chords are typed or found at Gather.'}
      </p>
      <div className="mb-1.5 flex items-center gap-1.5">
        <HowMany label="Voices" name={n => (n === 1 ? 'one voice' : `${n} voices`)} />
        <button
          className="btn"
          disabled={!ready || (!key && !chords.length)}
          title="Alt+C makes two"
          onClick={() => chordParts(voices)}
        >
          Make
        </button>
      </div>
      {compasses.length > 0 && (
        <p className="text-[11.5px] text-ink-2">
          {compasses.map(c => `${noteName(c.low, key)} to ${noteName(c.high, key)}`).join(', ')}; their ends are dragged
          in the field.
        </p>
      )}
    </>
  );
}

export function FromKeys({ ready }: FromProps) {
  const { voices, heldDelay, wordsReady } = useSource();
  const on = useKeys(k => k.on);
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        While the song runs, a part sings what is held, on the lead’s words; as many parts as keys are held at once.
        What is played is kept as their guides.
      </p>
      <div className="flex items-center gap-1.5">
        <HowMany label="Keys at once" name={n => (n === 1 ? 'one key at a time' : `${n} keys at once`)} disabled={on} />
        <button
          className={`btn ${on ? 'btn-on' : ''}`}
          aria-pressed={on}
          disabled={!ready}
          onClick={() => (on ? setKeys(false) : armKeys(voices))}
        >
          {on ? 'Leave the keys' : 'Play keys'}
        </button>
      </div>
      {on && wordsReady && heldDelay === 0 && (
        <p className="mt-1 text-[11.5px] text-ink-2" data-testid="words-ready">
          The words about the playhead are ready to be sung.
        </p>
      )}
      {on && heldDelay > 0 && (
        <p className="mt-1 text-[11.5px] text-ink-2 tabular-nums" data-testid="held-delay">
          The last key sounded {(heldDelay * 1000).toFixed(1)} ms after it went down; the device adds its own.
        </p>
      )}
    </>
  );
}

export function FromGuide({ lead, ready }: FromProps) {
  const { songId } = useParams();
  const navigate = useNavigate();
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        It sings a melody on the words of {lead.name}, and rests where the melody does.
      </p>
      <div className="grid grid-cols-2 gap-1.5">
        <button
          className="btn"
          disabled={!ready || !lead.guide}
          title="Alt+G"
          onClick={() => makeParts('part-from', {}, lead)}
        >
          {lead.guide ? 'Its guide' : 'It has no guide'}
        </button>
        <MidiFileButton testId="part-file" disabled={!ready} onFile={file => partByFile(file, lead)}>
          MIDI file…
        </MidiFileButton>
        <button
          className="btn col-span-2"
          disabled={!ready}
          title="The part is there, silent; its notes are drawn in the field or played on keys"
          onClick={() => {
            makeParts('part-from', { notes: [], name: 'Played' }, lead);
            void navigate(`/song/${songId}/tune`);
          }}
        >
          Draw or play it
        </button>
      </div>
    </>
  );
}

export function FromItself({ lead, ready }: FromProps) {
  const session = useParts('history', 'editTrackId');
  const track = editTrackOf(session);
  const of = track?.part ? track : lead;
  const [semitones, setSemitones] = useState(0);
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        {of.name} once more, made of itself: scattered at its own pitch, for weight below, for sparkle above.
      </p>
      <div className="flex items-center gap-1.5">
        <Semitones value={semitones} onChange={setSemitones} zero />
        <button className="btn" disabled={!ready} title="Alt+D" onClick={() => makeParts('double', { semitones }, of)}>
          Double
        </button>
      </div>
    </>
  );
}
