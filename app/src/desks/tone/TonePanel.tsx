import { counted, countedSyllables, type NoiseSort, type NoteEdit } from '@essim/core';
import { GroupLine } from '../../shell/Choosing';
import { Section } from '../../shell/Section';
import { ValueRow, type ValueLook } from '../../shell/ValueRow';
import { act, currentScope, editTrackOf, useBeside, useParts, useSession, type How } from '../../open-song';
import { ChosenCard } from '../ChosenCard';
import { FirstSteps } from '../FirstSteps';
import { EnvelopeChart } from './EnvelopeChart';
import { chosenTones, nextNoise, overUsual, setClean, setFade, setLevel, setNoises } from './edits';
import { LevelsChart } from './LevelsChart';
import { editIn, spreadOf, tonedNoises, tonedNotes, type TonedNote } from './tones';

const title = 'text-[11px] font-semibold text-ink-2';
const signed = (v: number) => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(1)} dB`;
const at = (t: number) => `${Math.floor(t / 60)}:${(t % 60).toFixed(1).padStart(4, '0')}`;

/** A value of notes as a fader, and how it is read and set. */
interface Setting extends ValueLook {
  of: (edit: NoteEdit | undefined) => number;
  /** @param first what the first of the chosen notes has now */
  set: (value: number, how: How, first: NoteEdit | undefined) => unknown;
}
const rounded = (v: number) => Math.round(v * 10) / 10;

const SHARE = { unit: '%', low: 0, high: 100, step: 1, rest: 0 } as const;
const LEVELS: readonly Setting[] = [
  {
    name: 'Level',
    unit: 'dB',
    low: -18,
    high: 12,
    leastTyped: -60,
    mostTyped: 24,
    step: 0.5,
    rest: 0,
    of: e => rounded(((e?.startDb ?? 0) + (e?.middleDb ?? 0) + (e?.endDb ?? 0)) / 3),
    set: (v, how) => setLevel(v, how),
  },
  {
    ...SHARE,
    name: 'Lift quiet',
    of: e => e?.lift ?? 0,
    set: (lift, how, e) => act('even-levels', { lift, ease: e?.ease ?? 0 }, how),
  },
  {
    ...SHARE,
    name: 'Ease loud',
    of: e => e?.ease ?? 0,
    set: (ease, how, e) => act('even-levels', { ease, lift: e?.lift ?? 0 }, how),
  },
];

const MS = { unit: 'ms', low: 0, mostTyped: 60000, step: 10, rest: 0 } as const;
const USUAL_SWAY = { db: 1, hz: 5 };
const FADES: readonly Setting[] = [
  { ...MS, name: 'Fade in', high: 1000, of: e => e?.fadeIn ?? 0, set: (v, how) => setFade('inMs', v, how) },
  { ...MS, name: 'Fade out', high: 2000, of: e => e?.fadeOut ?? 0, set: (v, how) => setFade('outMs', v, how) },
  {
    name: 'Sway',
    unit: 'dB',
    low: 0,
    high: 6,
    mostTyped: 12,
    step: 0.1,
    rest: 0,
    of: e => e?.swayDb ?? 0,
    set: (db, how) => act('sway', { db }, how),
  },
  {
    name: 'Rate',
    unit: 'Hz',
    low: 0.5,
    high: 9,
    leastTyped: 0.1,
    mostTyped: 12,
    step: 0.1,
    rest: USUAL_SWAY.hz,
    of: e => e?.swayHz ?? USUAL_SWAY.hz,
    set: (rateHz, how, e) => act('sway', { db: e?.swayDb ?? USUAL_SWAY.db, rateHz }, how),
  },
];

const COLOUR: readonly Setting[] = [
  {
    ...SHARE,
    name: 'Even out',
    of: e => (e?.colour ? (e.colourAmount ?? 100) : 0),
    set: (amount, how) => act('even-colour', { amount }, how),
  },
  {
    name: 'Brightness',
    unit: 'dB',
    low: -6,
    high: 6,
    leastTyped: -12,
    mostTyped: 12,
    step: 0.5,
    rest: 0,
    of: e => e?.brightness ?? 0,
    set: (brightnessDb, how) => act('even-colour', { brightnessDb }, how),
  },
  {
    name: 'Formant',
    unit: 'st',
    low: -4,
    high: 4,
    leastTyped: -12,
    mostTyped: 12,
    step: 0.1,
    rest: 0,
    of: e => e?.formant ?? 0,
    set: (semitones, how) => act('formant', { semitones }, how),
  },
  { ...SHARE, name: 'With pitch', of: e => e?.follow ?? 0, set: (follow, how) => act('formant', { follow }, how) },
];

/** Faders of the chosen notes. */
function Settings({
  list,
  settings,
  kind,
}: {
  list: readonly TonedNote[];
  settings: readonly Setting[];
  kind: string;
}) {
  const span = useSession(s => s.selection.span);
  return settings.map(({ of, set, ...look }) => (
    <ValueRow
      key={look.name}
      {...look}
      values={list.map(n => of(editIn(n, span)))}
      kind={`${look.name} ${kind}`}
      onSet={(v, how) => set(v ?? look.rest ?? 0, how, list[0].edit)}
    />
  ));
}

/** Loudness, what lies between notes, and colour. */
export function TonePanel() {
  const session = useParts(
    'history',
    'views',
    'editTrackId',
    'selection',
    'draft',
    'phraseAt',
    'grouped',
    'viewedTrackIds',
  );
  useBeside(s => s.takes);
  const track = editTrackOf(session);
  const list = chosenTones();
  const kind = `${session.editTrackId} ${list[0]?.key ?? ''} ${list.length}`;
  return (
    <div className="flex flex-col gap-2.5 p-3.5">
      <FirstSteps
        id="tone"
        done={list.some(n => n.edit) || !!track?.noises.length}
        text="Each hill is a note beside its phrase: drag it up or down, its three grips tilt it. A noise is as high as it is loud beside its vowel. S evens the levels of what is chosen, U takes it back."
      />
      <Chosen list={list} />
      <GroupLine />
      <section aria-label="Levels">
        <h2 className={title}>Levels</h2>
        <Settings list={list} settings={LEVELS} kind={kind} />
        <Spread list={list} />
        <Section
          title="Fades and sway"
          summary={list.some(n => n.edit?.fadeIn || n.edit?.fadeOut || n.edit?.swayDb) ? 'set' : 'none'}
        >
          <Settings list={list} settings={FADES} kind={kind} />
        </Section>
      </section>
      <Noises />
      <section aria-label="Colour">
        <h2 className={title}>Colour</h2>
        <Settings list={list} settings={COLOUR} kind={kind} />
        <EnvelopeChart list={list} />
      </section>
      <div className="flex gap-1.5">
        <button
          className="btn btn-ink flex-1"
          onClick={() => act('even-levels', { lift: 60, ease: 60 })}
          disabled={!list.length}
        >
          Even levels <kbd>S</kbd>
        </button>
        <button
          className="btn flex-1"
          onClick={() => act('as-sung', { what: 'tone' })}
          disabled={!list.some(n => n.edit)}
        >
          As sung <kbd>U</kbd>
        </button>
      </div>
      <LevelsChart notes={tonedNotes(useSession.getState())} />
    </div>
  );
}

function Chosen({ list }: { list: readonly TonedNote[] }) {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'phraseAt');
  const { kind } = currentScope(session);
  const one = list.length === 1 ? list[0] : null;
  const nowDb = one?.nowDb ?? null;
  return (
    <ChosenCard
      words={list.map(n => n.word)}
      spoken={list.some(n => n.spoken)}
      empty="Click a note or its hill, or draw a frame round several."
      badge={one?.edit?.silent ?? (nowDb === null ? null : signed(nowDb))}
      needsLook={nowDb !== null && Math.abs(nowDb) > 5}
    >
      {one ? aboutNote(one) : `${countedSyllables(list)}${kind === 'phrase' ? ' of this phrase' : ''}`}
    </ChosenCard>
  );
}

/** Bands from about 2 kHz on. */
const UPPER = 10;
function aboutNote({ sungDb, nowDb, colour }: TonedNote): string {
  if (sungDb === null || nowDb === null) return 'its sound is being listened to';
  const by = nowDb - sungDb;
  const upper = colour?.slice(UPPER) ?? new Float32Array(1);
  const top = upper.reduce((sum, v) => sum + v, 0) / upper.length;
  return [
    `sung ${Math.abs(sungDb).toFixed(1)} dB ${sungDb < 0 ? 'under' : 'over'} its phrase`,
    Math.abs(by) > 0.05 ? `${by > 0 ? 'lifted' : 'eased'} ${Math.abs(by).toFixed(1)} dB` : '',
    Math.abs(top) > 2 ? `${top < 0 ? 'dull' : 'bright'} by ${Math.abs(top).toFixed(0)} dB above 2 kHz` : '',
  ]
    .filter(Boolean)
    .join(' · ');
}

/** From the quietest to the loudest of what is chosen, before and after. */
function Spread({ list }: { list: readonly TonedNote[] }) {
  const spread = spreadOf(list);
  if (!spread) return null;
  const { was, now } = spread;
  return (
    <p className="flex justify-between text-[11.5px] text-ink-2 tabular-nums">
      <span>From quiet to loud</span>
      <span className="font-semibold">
        {Math.abs(was - now) < 0.05 ? `${was.toFixed(1)} dB` : `${was.toFixed(1)} → ${now.toFixed(1)} dB`}
      </span>
    </p>
  );
}

const NOISE = { unit: 'dB', low: -24, leastTyped: -96, step: 0.5, rest: 0 } as const;
const KINDS: readonly (readonly [NoiseSort, string])[] = [
  ['sibilant', 's, sh, f'],
  ['plosive', 't, k, p'],
  ['breath', 'Breaths'],
];

/** What lies between notes: a fader each over the track, and the loudest one by one. */
function Noises() {
  const session = useParts('history', 'views', 'editTrackId', 'draft');
  const track = editTrackOf(session);
  const all = tonedNoises(useSession.getState());
  if (!track) return null;
  const rule = (kind: NoiseSort) => track.noises.find(r => r.kind === kind);
  const loudest = all.length ? all.reduce((a, b) => (overUsual(b) > overUsual(a) ? b : a)) : null;
  const together = all.filter(n => n.together).length;
  const clicks = all.filter(n => n.kind === 'click').length;
  return (
    <section aria-label="Noises">
      <h2 className={title}>Noises beside their vowels</h2>
      {KINDS.map(([kind, name]) => (
        <ValueRow
          key={kind}
          {...NOISE}
          name={name}
          high={6}
          mostTyped={12}
          values={all.some(n => n.kind === kind) ? [rule(kind)?.db ?? 0] : []}
          kind={`noises ${kind} ${track.id}`}
          onSet={(v, how) => setNoises(kind, v, how)}
        />
      ))}
      {together > 0 && (
        <ValueRow
          {...NOISE}
          name="Together"
          label="Sibilants where they coincide with the lead’s"
          high={0}
          values={[rule('sibilant')?.together ?? 0]}
          kind={`together ${track.id}`}
          onSet={(v, how) => setNoises('sibilant', v, how, 'together')}
        />
      )}
      <ValueRow
        {...NOISE}
        name="Gaps"
        label="Where nobody sings"
        low={-60}
        high={0}
        values={[track.clean?.gapsDb ?? 0]}
        kind={`gaps ${track.id}`}
        onSet={(v, how) => setClean({ gapsDb: v ?? 0 }, how)}
      />
      <label className="flex items-center gap-2 py-0.5">
        <input type="checkbox" checked={!!track.clean?.clicks} onChange={e => setClean({ clicks: e.target.checked })} />
        <span>Take mouth clicks out</span>
        <span className="ml-auto text-[11.5px] text-ink-2 tabular-nums">{counted(clicks, 'found', 'found')}</span>
      </label>
      {loudest && (
        <p className="flex items-center justify-between text-[11.5px] text-ink-2">
          <span>
            Loudest left: {loudest.kind} at {at(loudest.start)}
          </span>
          <button className="font-semibold text-teal" onClick={nextNoise}>
            Next <kbd>.</kbd>
          </button>
        </p>
      )}
    </section>
  );
}
