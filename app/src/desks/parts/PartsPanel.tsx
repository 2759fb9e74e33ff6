import { counted, ruleName, usualDifferences, type PartRule, type Track } from '@essim/core';
import { Link, useParams } from 'react-router';
import { Faders } from '../../shell/Fader';
import { LevelAndPan } from '../../shell/LevelAndPan';
import { asMade, chosenPhrases, drawAgain, setPart, sourceForParts } from '../../commands/parts';
import { editTrackOf, keyOf, trackOf, useParts, viewOf, type How } from '../../open-song';
import { FirstSteps } from '../FirstSteps';
import { LikenessCard } from '../Likeness';
import { anotherWay } from './actions';
import { choirNow } from './choir';
import { CompassField } from './CompassField';
import { FromChords, FromGuide, FromItself, FromKeys, FromSteps } from './sources';
import { FromUnpick } from './FromUnpick';
import { SOURCES, useSource, type Source } from './state';

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

const SOURCE_NAMES: Record<Source, string> = {
  steps: 'Steps',
  chords: 'Chords',
  keys: 'Keys',
  guide: 'Guide',
  double: 'Double',
  unpick: 'Unpick',
};

function NewPart({ lead }: { lead: Track }) {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'phraseAt', 'backing');
  const spans = chosenPhrases(session);
  const { source } = useSource();
  const From = {
    steps: FromSteps,
    chords: FromChords,
    keys: FromKeys,
    guide: FromGuide,
    double: FromItself,
    unpick: FromUnpick,
  }[source];
  return (
    <section aria-label="New part">
      <h3 className="mb-1.5 font-semibold text-ink-2">
        New part of {lead.name}
        {spans ? `, ${spans.length} ${spans.length === 1 ? 'phrase' : 'phrases'}` : ', all of it'}
      </h3>
      <div className="mb-2 grid grid-cols-3 gap-1" role="radiogroup" aria-label="What says its pitches">
        {SOURCES.map(s => (
          <button
            key={s}
            role="radio"
            aria-checked={s === source}
            className={`btn px-1 ${s === source ? 'btn-on' : ''}`}
            onClick={() => useSource.setState({ source: s })}
          >
            {SOURCE_NAMES[s]}
          </button>
        ))}
      </div>
      <From lead={lead} ready={viewOf(session, lead.id).status === 'ready'} />
    </section>
  );
}

const CALLED = {
  scatterTime: 'scatter in time',
  scatterPitch: 'scatter in pitch',
  wander: 'wander kept',
  vibrato: 'vibrato kept',
  blend: 'blend',
  formant: 'formant',
};
/** Faders of a part; a double-click puts them where a new part of its kind has them. */
function fadersOf({ by, amount }: Pick<PartRule, 'by' | 'amount'>) {
  const { scatter, formant } =
    by === 'chords' || by === 'guide' ? { scatter: 60, formant: 0 } : usualDifferences({ by, amount });
  const share = { low: 0, high: 200, step: 1, unit: ' %', rest: 100 };
  const part = { low: 0, high: 200, step: 1, unit: ' %', rest: scatter };
  return {
    scatter: [
      { field: 'scatterTime', label: 'Time', ...part },
      { field: 'scatterPitch', label: 'Pitch', ...part },
    ],
    manner: [
      { field: 'wander', label: 'Wander', ...share },
      { field: 'vibrato', label: 'Vibrato', ...share },
      { field: 'blend', label: 'Blend', ...share, high: 100, rest: 0 },
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
  const session = useParts('history', 'backing', 'views', 'editTrackId');
  const { key } = keyOf(session);
  const faders = fadersOf(rule);
  const choir = choirNow(session);
  const { by } = rule;
  const shift =
    by === 'steps' || by === 'semitones'
      ? (step: number) => {
          const most = by === 'steps' ? 14 : 24;
          // a unison in steps is no part
          const next = rule.amount + step || (by === 'steps' ? step : 0);
          setPart(`${part.name}: ${ruleName({ by, amount: next }).toLowerCase()}`, part, {
            amount: Math.max(-most, Math.min(most, next)),
          });
        }
      : null;
  return (
    <>
      <section className="card" aria-label="Part">
        <div className="flex items-baseline justify-between gap-2">
          <b className="truncate text-lg tracking-tight">{ruleName(rule)}</b>
          {shift && (
            <span className="flex gap-1">
              <button className="pill" aria-label="Interval down" onClick={() => shift(-1)}>
                −
              </button>
              <button className="pill" aria-label="Interval up" onClick={() => shift(1)}>
                +
              </button>
            </span>
          )}
        </div>
        <p className="mt-1 text-ink-2">
          of {trackOf(session, rule.fromId)?.name ?? lead.name}
          {rule.spans
            ? `, ${rule.spans.length === 1 ? `${seconds(rule.spans[0].start)} to ${seconds(rule.spans[0].end)}` : `${rule.spans.length} phrases`}`
            : ', all of it'}
          . It changes when its lead does.
        </p>
        {by === 'chords' && (
          <div className="mt-1 flex items-center justify-between gap-2 text-ink-2">
            <span>
              <CompassField
                name={part.name}
                compass={{ low: rule.low!, high: rule.high! }}
                tonic={key}
                onChange={bounds => setPart(`Compass of ${part.name}`, part, bounds)}
              />
              {choir.length > 1 &&
                `, led with ${choir
                  .filter(t => t !== part)
                  .map(t => t.name)
                  .join(', ')}`}
            </span>
            <button
              className="pill shrink-0"
              title="The chosen note, the phrase or all of it (Alt+W)"
              onClick={anotherWay}
            >
              Another way
            </button>
          </div>
        )}
        {by === 'guide' && (
          <p className="mt-1 text-ink-2">
            It sings {part.guide?.name ?? 'no guide'}, {counted(part.guide?.notes.length ?? 0, 'note')}; they are drawn,
            played and moved at Tune.
          </p>
        )}
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
      <section aria-label="Manner">
        <h3 className="mb-1 font-semibold text-ink-2">Kept of its lead</h3>
        <Faders faders={faders.manner} values={rule} of={part.id} onChange={set} />
      </section>
      <section aria-label="Sound">
        <h3 className="mb-1 font-semibold text-ink-2">Sound</h3>
        <Faders faders={faders.sound} values={rule} of={part.id} onChange={set} />
        <LevelAndPan track={part} />
      </section>
    </>
  );
}
