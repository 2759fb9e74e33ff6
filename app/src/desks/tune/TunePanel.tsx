import {
  counted,
  degreeIn,
  LONGEST_GLIDE,
  nearestStep,
  noteName,
  pitchNow,
  stepMeant,
  stepName,
  wordOver,
  type Key,
  type Scope,
} from '@essim/core';
import { memo } from 'react';
import { GroupLine, KeptSelections } from '../../shell/Choosing';
import {
  currentScope,
  editTrackOf,
  editViewOf,
  keyAt,
  keyOf,
  scaleAtOf,
  songOf,
  useParts,
  type SessionState,
} from '../../open-song';
import { DragChoice } from './DragChoice';
import { GuideCard } from './GuideCard';
import { HintsLine } from './HintsLine';
import { NoteDetails } from './NoteDetails';
import { PasteLine } from './PasteLine';
import { PitchName } from './PitchName';
import { StartChoice } from './StartChoice';
import { StepsCard } from './StepsCard';
import { Tunings } from './Tunings';
import { ValueRow } from '../../shell/ValueRow';
import { Way } from './Way';
import { WholeTake } from './WholeTake';
import {
  asSungScope,
  faderKind,
  FADERS,
  faderValue,
  noJoin,
  setFader,
  settleScope,
  inScope,
  touchedInScope,
  togglePin,
  type Fader,
  type Target,
} from './edits';
import { FirstSteps } from '../FirstSteps';

const ORDINALS = ['', 'tonic', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh'];
const signed = (n: number) => `${n > 0 ? '+' : n < 0 ? '−' : ''}${Math.abs(n)}`;

/** What is selected, in words and numbers, and the faders that shape it. */
export function TunePanel() {
  const session = useParts(
    'history',
    'views',
    'editTrackId',
    'selection',
    'draft',
    'phraseAt',
    'backing',
    'grouped',
    'viewedTrackIds',
  );
  const { kind } = currentScope(session);
  const list = inScope(session);
  const mine = list.filter(t => t.trackId === session.editTrackId);
  return (
    <div className="flex flex-col gap-3 p-3.5">
      <FirstSteps
        id="tune"
        done={!!editTrackOf(session)?.takes.some(t => Object.keys(t.edits).length)}
        text="Choose a phrase at the left and press S: its notes settle on the key. Drag a note, ease its Wander, compare with C; Space plays what is chosen."
      />
      <ScopeCard list={mine} kind={kind} />
      <GroupLine />
      <Tunings />
      <PasteLine />
      <HintsLine />
      <Way name="notes" title="Notes" summary={notesSummary(mine)}>
        <Notes list={list} touched={touchedInScope(session)} />
      </Way>
      <WholeTake />
      <Way name="steps" title="Steps" summary={stepsSummary(session)}>
        <StepsCard />
        <GuideCard />
      </Way>
      <KeptSelections />
    </div>
  );
}

/** "3 of 14 edited" */
function notesSummary(list: Target[]): string {
  if (!list.length) return 'none chosen';
  const edited = list.filter(t => t.edit).length;
  return edited ? `${edited} of ${list.length} edited` : 'as sung';
}

function stepsSummary(s: SessionState): string {
  const { key } = keyOf(s);
  const tuning = songOf(s)?.tuning;
  return key ? `${stepName(key.tonic, key)} ${tuning?.name ?? key.mode}` : 'semitones';
}

/** What is done note by note. */
function Notes({ list, touched }: { list: Target[]; touched: Target[] }) {
  const parts = touched.filter(t => !t.part.whole).length;
  return (
    <>
      {parts > 0 && (
        <p className="text-[11.5px] text-ink-2">
          The stretch cuts through {counted(parts, 'note')}: the faders mean that part alone.
        </p>
      )}
      <Faders list={touched} />
      <NoteDetails list={list} />
      <div className="flex gap-1.5">
        <button className="btn btn-ink flex-1" onClick={settleScope} disabled={!list.length}>
          Settle <kbd>S</kbd>
        </button>
        <button className="btn flex-1" onClick={asSungScope} disabled={!list.some(t => t.edit)}>
          As sung <kbd>U</kbd>
        </button>
      </div>
      <StartChoice disabled={!list.length} />
      <DragChoice />
    </>
  );
}

const SCOPES: Record<Scope['kind'], string> = {
  selection: 'chosen',
  span: 'mostly in the stretch',
  phrase: 'of this phrase',
  nothing: '',
};

function ScopeCard({ list, kind }: { list: Target[]; kind: Scope['kind'] }) {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'draft', 'phraseAt', 'backing');
  const { key } = keyOf(session);
  const view = editViewOf(session);
  if (!list.length)
    return (
      <section className="card" aria-label="Selection">
        <p className="font-semibold">{kind === 'span' ? 'No note lies mostly in this stretch' : 'Nothing chosen'}</p>
        <p className="mt-1 text-ink-2">
          {view.status === 'ready'
            ? 'Click a note, draw a frame round several, or put the playhead in a phrase: commands then act on that phrase.'
            : editTrackOf(session)?.takes.length
              ? 'The notes appear here as soon as the take is read.'
              : 'This track has no takes yet.'}
        </p>
      </section>
    );
  if (list.length === 1 && kind === 'selection')
    return <OneNote target={list[0]} songKey={keyAt(session, list[0].note.start)} />;
  const sung = list.map(t => t.note.sung);
  const scaleAt = scaleAtOf(session);
  const off = list.map(({ note }) =>
    Math.abs(Math.round(note.sung * 100 - nearestStep(scaleAt(note.start), note.sung * 100))),
  );
  const moved = list.filter(t => t.edit?.target !== undefined).length;
  const pinned = list.filter(t => t.edit?.pinned).length;
  return (
    <section className="card" aria-label="Selection">
      <div className="flex items-baseline gap-2">
        <b className="text-2xl tracking-tight tabular-nums">{list.length}</b>
        <span className="text-ink-2">
          {list.length === 1 ? 'note' : 'notes'} {SCOPES[kind]}
        </span>
      </div>
      <p className="mt-1 text-ink-2">
        {noteName(Math.min(...sung), key)} to {noteName(Math.max(...sung), key)} · {moved} settled or moved
        {pinned ? ` · ${pinned} pinned` : ''}
      </p>
      {kind !== 'phrase' && (
        <p className="mt-1 flex items-center gap-2 text-ink-2">
          all on one pitch: <PitchName text="type it" pitch={sung[0]} songKey={key} small />
        </p>
      )}
      {kind === 'phrase' && (
        <p className="mt-1 text-ink-2">Nothing is chosen, so commands act on the phrase at the playhead.</p>
      )}
      {kind === 'selection' && moved < list.length && (
        <p className="mt-1 text-ink-2 tabular-nums">sung up to {Math.max(...off)} cents off the key</p>
      )}
    </section>
  );
}

function OneNote({ target: { note, edit }, songKey }: { target: Target; songKey: Key | null }) {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'draft', 'phraseAt', 'backing');
  const word = wordOver(editViewOf(session).words, note)?.text;
  const rail = edit?.target ?? nearestStep(scaleAtOf(session)(note.start), note.sung * 100) / 100;
  // in tune is told against the step it is meant for, wherever it was put
  const step = stepMeant(scaleAtOf(session)(note.start), rail);
  const whole = !!editTrackOf(session)?.whole.length;
  const byEdit = note.sung + (edit?.target === undefined ? 0 : (rail - note.sung) * ((edit.aim ?? 100) / 100));
  const now = Math.round(((whole ? (pitchNow(editViewOf(session), note) ?? note.sung) : byEdit) - step) * 100);
  const sungOff = Math.round((note.sung - step) * 100);
  const nearer = Math.abs(sungOff) > 50 ? noteName(note.sung, songKey) : null;
  const { tuning } = songOf(session)!;
  const scaleName = songKey ? `${stepName(songKey.tonic, songKey)} ${tuning?.name ?? songKey.mode}` : '';
  const degree = songKey ? degreeIn(scaleAtOf(session)(note.start), rail) : 0;
  const place = songKey
    ? degree
      ? `${ORDINALS[degree] ?? `step ${degree}`} of ${scaleName}`
      : `outside ${scaleName}`
    : null;
  return (
    <section className="card" aria-label="Selection">
      <div className="flex items-baseline gap-2">
        <PitchName text={noteName(rail, songKey)} pitch={rail} songKey={songKey} />
        {word && <span className="text-ink-2">“{word}”</span>}
        <span className="ml-auto font-semibold text-ink-2 tabular-nums">
          {now === 0 ? 'in tune' : `${signed(now)} cents now`}
        </span>
      </div>
      <p className="mt-1 text-ink-2 tabular-nums">
        {sungOff === 0 ? 'sung in tune' : `sung ${Math.abs(sungOff)} cents ${sungOff < 0 ? 'low' : 'high'}`}
        {nearer ? `, nearer ${nearer}` : ''}
        {place ? ` · ${place}` : ''} · {(note.end - note.start).toFixed(2)} s
      </p>
      {edit?.target !== undefined && (
        <button
          className="mt-1.5 text-xs font-semibold text-teal underline-offset-2 hover:underline"
          onClick={togglePin}
        >
          {edit.pinned ? 'Pinned: unpin (N)' : 'Pin it (N)'}
        </button>
      )}
    </section>
  );
}

function Faders({ list }: { list: Target[] }) {
  const groups = ['Way in', 'Body', 'Way out'] as const;
  return (
    <div>
      {groups.map(group => (
        <fieldset key={group} className="mb-1.5">
          <legend className="text-[11px] font-semibold text-ink-2">{group}</legend>
          {(Object.keys(FADERS) as Fader[])
            .filter(f => FADERS[f].group === group)
            .map(f => (
              <FaderRow
                key={f}
                fader={f}
                values={list.map(t => faderValue(t, f))}
                kind={faderKind(f)}
                idle={f === 'glide' ? noJoin(list) : undefined}
              />
            ))}
        </fieldset>
      ))}
    </div>
  );
}

interface FaderProps {
  fader: Fader;
  values: readonly (number | null)[];
  kind: string;
  /** A glide needs a note it comes from. */
  idle: ReturnType<typeof noJoin>;
}

/** Drawn again only when its values are others: one is dragged, or its notes are. */
const FaderRow = memo(
  function FaderRow({ fader, values, kind, idle }: FaderProps) {
    const { name, unit, low, high, step, rest } = FADERS[fader];
    return (
      <ValueRow
        name={name}
        unit={unit}
        low={low}
        high={high}
        mostTyped={fader === 'glide' ? LONGEST_GLIDE : high}
        step={step}
        rest={fader === 'aim' ? 100 : rest}
        values={values}
        kind={kind}
        idle={idle}
        onSet={(value, how) => setFader(fader, value, how)}
      />
    );
  },
  (a, b) =>
    a.fader === b.fader &&
    a.kind === b.kind &&
    a.idle === b.idle &&
    a.values.length === b.values.length &&
    a.values.every((v, i) => v === b.values[i]),
);
