import { partName, usualDifferences, type PartLine, type Track } from '@essim/core';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { Faders } from '../../shell/Fader';
import { LevelAndPan } from '../../shell/LevelAndPan';
import { addPart, asMade, chosenPhrases, drawAgain, setPart, sourceForParts } from '../../commands/parts';
import { editTrackOf, keyOf, trackOf, useParts, viewOf, type How } from '../../open-song';
import { FirstSteps } from '../FirstSteps';
import { LikenessCard } from '../Likeness';
import { QUICK } from './actions';

const seconds = (t: number) => `${Math.floor(t / 60)}:${(t % 60).toFixed(1).padStart(4, '0')}`;

/** What the edited part is, and new parts from its lead. */
export function PartsPanel() {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'phraseAt', 'backing');
  const track = editTrackOf(session);
  const lead = sourceForParts(session);
  const any = !!session.history?.song.tracks.some(t => t.part);
  return (
    <div className="flex flex-col gap-3.5 p-3.5">
      <FirstSteps
        id="parts"
        done={any}
        text={`A part is ${lead?.name ?? 'the lead'} sung at another step of the key. Settle the lead at Tune first (3, then S), then press Third above: the part is there at once, and goes along with every later change of the lead.`}
      />
      {track?.part && lead ? (
        <PartCard part={track} lead={lead} />
      ) : (
        <section className="card" aria-label="Selection">
          <p className="font-semibold">{lead ? `Parts from ${lead.name}` : 'No voice to make parts from'}</p>
          <p className="mt-1 text-ink-2">
            {lead
              ? 'Choose phrases to make a part of them alone; with nothing chosen it sings all the way through.'
              : 'Bring in a lead at Gather.'}
          </p>
        </section>
      )}
      {lead && <NewPart lead={lead} />}
      {track?.part && lead && <LikenessCard a={track} b={lead} />}
    </div>
  );
}

function NewPart({ lead }: { lead: Track }) {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'phraseAt', 'backing');
  const spans = chosenPhrases(session);
  const { key } = keyOf(session);
  const ready = viewOf(session, lead.id).status === 'ready';
  const [semitones, setSemitones] = useState(4);
  return (
    <section aria-label="New part">
      <h3 className="mb-1.5 font-semibold text-ink-2">
        New part of {lead.name}
        {spans ? `, ${spans.length} ${spans.length === 1 ? 'phrase' : 'phrases'}` : ', all of it'}
      </h3>
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
        <select
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5"
          aria-label="Semitones"
          value={semitones}
          onChange={e => setSemitones(Number(e.target.value))}
        >
          {Array.from({ length: 48 }, (_, i) => (i < 24 ? 24 - i : 23 - i)).map(n => (
            <option key={n} value={n}>
              {n > 0 ? '+' : '−'}
              {Math.abs(n)} semitones
            </option>
          ))}
        </select>
        <button className="btn" disabled={!ready} onClick={() => addPart({ by: 'semitones', amount: semitones })}>
          Make
        </button>
      </div>
    </section>
  );
}

const CALLED = { scatterTime: 'scatter in time', scatterPitch: 'scatter in pitch', formant: 'formant' };
/** Faders of a part; a double-click puts them where a new part of its kind has them. */
function fadersOf(line: PartLine) {
  const { scatter, formant } = usualDifferences(line);
  const part = { low: 0, high: 200, step: 1, unit: ' %', rest: scatter };
  return {
    scatter: [
      { field: 'scatterTime', label: 'Time', ...part },
      { field: 'scatterPitch', label: 'Pitch', ...part },
    ],
    sound: [{ field: 'formant', label: 'Formant', low: -12, high: 12, step: 0.5, unit: ' st', rest: formant }],
  } as const;
}

function PartCard({ part, lead }: { part: Track; lead: Track }) {
  const { songId } = useParams();
  const rule = part.part!;
  const set = (field: keyof typeof CALLED, value: number, how: How) =>
    setPart(`${part.name}: ${CALLED[field]}`, part, { [field]: value }, how);
  const own = part.takes.reduce((n, t) => n + Object.keys(t.edits).length, 0);
  const session = useParts('history', 'backing', 'views');
  const line = { by: rule.by, amount: rule.amount };
  const faders = fadersOf(line);
  const shift = (by: number) => {
    const most = rule.by === 'steps' ? 14 : 24;
    // a unison is no part
    const next = rule.amount + by || by;
    setPart(`${part.name}: ${partName({ ...line, amount: next }).toLowerCase()}`, part, {
      amount: Math.max(-most, Math.min(most, next)),
    });
  };
  return (
    <>
      <section className="card" aria-label="Part">
        <div className="flex items-baseline justify-between gap-2">
          <b className="truncate text-lg tracking-tight">{partName(line)}</b>
          <span className="flex gap-1">
            <button className="pill" aria-label="Interval down" onClick={() => shift(-1)}>
              −
            </button>
            <button className="pill" aria-label="Interval up" onClick={() => shift(1)}>
              +
            </button>
          </span>
        </div>
        <p className="mt-1 text-ink-2">
          of {trackOf(session, rule.fromId)?.name ?? lead.name}
          {rule.spans
            ? `, ${rule.spans.length === 1 ? `${seconds(rule.spans[0].start)} to ${seconds(rule.spans[0].end)}` : `${rule.spans.length} phrases`}`
            : ', all of it'}
          . It changes when its lead does.
        </p>
        <p className="mt-1 text-ink-2">
          {own ? (
            <>
              {own} {own === 1 ? 'note is' : 'notes are'} set by hand and stay.{' '}
              <button className="font-semibold text-teal" onClick={() => asMade(part)}>
                As made
              </button>
            </>
          ) : (
            <>
              Its notes are edited like any track’s at{' '}
              <Link className="font-semibold text-teal" to={`/song/${songId}/tune`}>
                Tune
              </Link>
              .
            </>
          )}
        </p>
      </section>
      <section aria-label="Differences">
        <h3 className="mb-1 flex items-center justify-between font-semibold text-ink-2">
          Scatter
          <button className="text-[11px] font-semibold text-teal" onClick={() => drawAgain(part)}>
            Draw again
          </button>
        </h3>
        <Faders faders={faders.scatter} values={rule} of={part.id} onChange={set} />
      </section>
      <section aria-label="Sound">
        <h3 className="mb-1 font-semibold text-ink-2">Sound</h3>
        <Faders faders={faders.sound} values={rule} of={part.id} onChange={set} />
        <LevelAndPan track={part} />
      </section>
    </>
  );
}
