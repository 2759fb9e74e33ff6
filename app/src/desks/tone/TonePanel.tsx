import { counted, type NoiseSort, type NoteEdit } from '@essim/core';
import { GroupLine } from '../../shell/Choosing';
import { Section } from '../../shell/Section';
import { ValueRow } from '../../shell/ValueRow';
import { act, currentScope, editTrackOf, useParts, useSession, type How } from '../../open-song';
import { FirstSteps } from '../FirstSteps';
import { EnvelopeChart } from './EnvelopeChart';
import { LevelsChart } from './LevelsChart';
import { chosenTones, nextNoise, overUsual, setClean, setFade, setLevel, setNoises, valuesOf } from './edits';
import { tonedNoises, tonedNotes, type TonedNote } from './tones';

const title = 'text-[11px] font-semibold text-ink-2';
const signed = (v: number) => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(1)} dB`;
const at = (t: number) => `${Math.floor(t / 60)}:${(t % 60).toFixed(1).padStart(4, '0')}`;

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
  useSession(s => s.takes);
  const track = editTrackOf(session);
  const list = chosenTones();
  const of = `${session.editTrackId} ${list[0]?.key ?? ''} ${list.length}`;
  const values = (field: keyof NoteEdit, rest = 0) => valuesOf(list, field, rest);
  const set = (step: string, arg: string) => (v: number | null, how: How) => void act(step, { [arg]: v ?? 0 }, how);
  const levels = list.map(
    n => Math.round(10 * (((n.edit?.startDb ?? 0) + (n.edit?.middleDb ?? 0) + (n.edit?.endDb ?? 0)) / 3)) / 10,
  );
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
        <ValueRow
          name="Level"
          unit="dB"
          low={-18}
          high={12}
          leastTyped={-60}
          mostTyped={24}
          step={0.5}
          rest={0}
          values={levels}
          kind={`level ${of}`}
          onSet={setLevel}
        />
        <ValueRow
          name="Lift quiet"
          unit="%"
          low={0}
          high={100}
          step={1}
          rest={0}
          values={values('lift')}
          kind={`lift ${of}`}
          onSet={(v, how) => act('even-levels', { lift: v ?? 0, ease: values('ease')[0] ?? 0 }, how)}
        />
        <ValueRow
          name="Ease loud"
          unit="%"
          low={0}
          high={100}
          step={1}
          rest={0}
          values={values('ease')}
          kind={`ease ${of}`}
          onSet={(v, how) => act('even-levels', { ease: v ?? 0, lift: values('lift')[0] ?? 0 }, how)}
        />
        <Spread list={list} />
        <Section
          title="Fades and sway"
          summary={list.some(n => n.edit?.fadeIn || n.edit?.fadeOut || n.edit?.swayDb) ? 'set' : 'none'}
        >
          <ValueRow
            name="Fade in"
            unit="ms"
            low={0}
            high={1000}
            mostTyped={60000}
            step={10}
            rest={0}
            values={values('fadeIn')}
            kind={`in ${of}`}
            onSet={(v, how) => setFade('inMs', v, how)}
          />
          <ValueRow
            name="Fade out"
            unit="ms"
            low={0}
            high={2000}
            mostTyped={60000}
            step={10}
            rest={0}
            values={values('fadeOut')}
            kind={`out ${of}`}
            onSet={(v, how) => setFade('outMs', v, how)}
          />
          <ValueRow
            name="Sway"
            unit="dB"
            low={0}
            high={6}
            mostTyped={12}
            step={0.1}
            rest={0}
            values={values('swayDb')}
            kind={`sway ${of}`}
            onSet={set('sway', 'db')}
          />
          <ValueRow
            name="Rate"
            unit="Hz"
            low={0.5}
            high={9}
            leastTyped={0.1}
            mostTyped={12}
            step={0.1}
            rest={5}
            values={values('swayHz', 5)}
            kind={`rate ${of}`}
            onSet={(v, how) => act('sway', { db: values('swayDb')[0] || 1, rateHz: v ?? 5 }, how)}
          />
        </Section>
      </section>
      <Noises />
      <section aria-label="Colour">
        <h2 className={title}>Colour</h2>
        <ValueRow
          name="Even out"
          unit="%"
          low={0}
          high={100}
          step={1}
          rest={0}
          values={list.map(n => (n.edit?.colour ? (n.edit.colourAmount ?? 100) : 0))}
          kind={`even ${of}`}
          onSet={set('even-colour', 'amount')}
        />
        <ValueRow
          name="Brightness"
          unit="dB"
          low={-6}
          high={6}
          leastTyped={-12}
          mostTyped={12}
          step={0.5}
          rest={0}
          values={values('brightness')}
          kind={`bright ${of}`}
          onSet={set('even-colour', 'brightnessDb')}
        />
        <ValueRow
          name="Formant"
          unit="st"
          low={-4}
          high={4}
          leastTyped={-12}
          mostTyped={12}
          step={0.1}
          rest={0}
          values={values('formant')}
          kind={`formant ${of}`}
          onSet={set('formant', 'semitones')}
        />
        <ValueRow
          name="With pitch"
          unit="%"
          low={0}
          high={100}
          step={1}
          rest={0}
          values={values('follow')}
          kind={`follow ${of}`}
          onSet={set('formant', 'follow')}
        />
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
  if (!list.length)
    return (
      <section className="card" aria-label="Selection">
        <p className="font-semibold">Nothing chosen</p>
        <p className="mt-1 text-ink-2">Click a note or its hill, or draw a frame round several.</p>
      </section>
    );
  const [first] = list;
  const words = list.map(n => n.word).filter((w, i, all) => w && w !== all[i - 1]);
  const one = list.length === 1 ? first : null;
  const by = one && one.nowDb !== null && one.sungDb !== null ? one.nowDb - one.sungDb : 0;
  const top = one?.colour ? one.colour.slice(10).reduce((s, v) => s + v, 0) / (one.colour.length - 10) : 0;
  return (
    <section className="card" aria-label="Selection">
      <div className="flex items-baseline justify-between gap-2">
        <p className="truncate text-lg font-semibold tracking-tight">
          {words.length ? `“${words.join(' ')}”` : counted(list.length, 'note')}
        </p>
        {one && one.nowDb !== null && (
          <span
            className={`shrink-0 rounded px-1.5 font-semibold tabular-nums ${Math.abs(one.nowDb) > 5 ? 'bg-amber-soft text-amber' : ''}`}
          >
            {one.edit?.silent ?? signed(one.nowDb)}
          </span>
        )}
      </div>
      <p className="mt-1 text-ink-2 tabular-nums">
        {one
          ? [
              one.sungDb === null
                ? 'its sound is being listened to'
                : `sung ${Math.abs(one.sungDb).toFixed(1)} dB ${one.sungDb < 0 ? 'under' : 'over'} its phrase`,
              Math.abs(by) > 0.05 ? `${by > 0 ? 'lifted' : 'eased'} ${Math.abs(by).toFixed(1)} dB` : '',
              Math.abs(top) > 2 ? `${top < 0 ? 'dull' : 'bright'} by ${Math.abs(top).toFixed(0)} dB above 2 kHz` : '',
            ]
              .filter(Boolean)
              .join(' · ')
          : `${counted(list.length, 'note')}${kind === 'phrase' ? ' of this phrase' : ''}`}
      </p>
    </section>
  );
}

/** From the quietest to the loudest of what is chosen, before and after. */
function Spread({ list }: { list: readonly TonedNote[] }) {
  const spread = (of: (n: TonedNote) => number | null) => {
    const known = list.flatMap(n => (n.edit?.silent ? [] : (of(n) ?? [])));
    return known.length > 1 ? Math.max(...known) - Math.min(...known) : null;
  };
  const [was, now] = [spread(n => n.sungDb), spread(n => n.nowDb)];
  if (was === null || now === null) return null;
  return (
    <p className="flex justify-between text-[11.5px] text-ink-2 tabular-nums">
      <span>From quiet to loud</span>
      <span className="font-semibold">
        {Math.abs(was - now) < 0.05 ? `${was.toFixed(1)} dB` : `${was.toFixed(1)} → ${now.toFixed(1)} dB`}
      </span>
    </p>
  );
}

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
          name={name}
          unit="dB"
          low={-24}
          high={6}
          leastTyped={-96}
          mostTyped={12}
          step={0.5}
          rest={0}
          values={all.some(n => n.kind === kind) ? [rule(kind)?.db ?? 0] : []}
          kind={`noises ${kind} ${track.id}`}
          onSet={(v, how) => setNoises(kind, v, how)}
        />
      ))}
      {together > 0 && (
        <ValueRow
          name="Together"
          label="Sibilants where they coincide with the lead’s"
          unit="dB"
          low={-24}
          high={0}
          leastTyped={-96}
          step={0.5}
          rest={0}
          values={[rule('sibilant')?.together ?? 0]}
          kind={`together ${track.id}`}
          onSet={(v, how) => setNoises('sibilant', v, how, 'together')}
        />
      )}
      <ValueRow
        name="Gaps"
        label="Where nobody sings"
        unit="dB"
        low={-60}
        high={0}
        leastTyped={-96}
        step={1}
        rest={0}
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
