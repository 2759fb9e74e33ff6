import { BarGrid, counted, countedSyllables, GRID_NAMES, isVocal } from '@essim/core';
import { GroupLine, KeptSelections } from '../../shell/Choosing';
import { Select } from '../../shell/inputs';
import { ValueRow, type ValueLook } from '../../shell/ValueRow';
import {
  act,
  currentScope,
  editTrackOf,
  scoreOf,
  songOf,
  useParts,
  type How,
  type SessionState,
} from '../../open-song';
import { ChosenCard } from '../ChosenCard';
import { FirstSteps } from '../FirstSteps';
import { bring, setLength, setMove, setOnset } from './edits';
import { OffsetsChart } from './OffsetsChart';
import { useTime } from './state';
import { meantTimes, preview, timedNotes, type MeantTimes, type TimedNote } from './timed';

const ms = (s: number) => `${Math.abs(Math.round(s * 1000))} ms`;
const title = 'text-[11px] font-semibold text-ink-2';

/** What is set of what is chosen, as faders. */
const MEANT: readonly (ValueLook & {
  of: (meant: MeantTimes) => number;
  set: (value: number | null, how: How) => unknown;
})[] = [
  {
    name: 'Move',
    unit: 'ms',
    low: -400,
    high: 400,
    leastTyped: -60000,
    mostTyped: 60000,
    step: 1,
    rest: 0,
    of: m => m.moveMs,
    set: setMove,
  },
  {
    name: 'Length',
    unit: '%',
    low: 30,
    high: 300,
    leastTyped: 10,
    mostTyped: 5000,
    step: 1,
    rest: 100,
    of: m => m.lengthPercent,
    set: setLength,
  },
  {
    name: 'Onset',
    unit: '%',
    low: 25,
    high: 250,
    mostTyped: 400,
    step: 5,
    rest: 100,
    of: m => m.onsetPercent,
    set: setOnset,
  },
];

/** How it is brought to the beat, or to another track. */
const BRINGING: readonly (ValueLook & { field: 'swing' | 'strength' | 'overMs'; rest: number })[] = [
  { field: 'swing', name: 'Swing', unit: '%', low: 50, high: 75, mostTyped: 80, step: 1, rest: 50 },
  { field: 'strength', name: 'Strength', unit: '%', low: 0, high: 100, step: 1, rest: 100 },
  { field: 'overMs', name: 'Only over', unit: 'ms', low: 0, high: 150, mostTyped: 1000, step: 1, rest: 0 },
];

/** What is chosen by its time, and bringing it to the beat. */
export function TimePanel() {
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
  const time = useTime();
  const track = editTrackOf(session);
  const meant = meantTimes(scoreOf(session));
  const notes = timedNotes(session, time);
  const chosen = meant ? notes.filter(n => meant.keys.has(n.key)) : [];
  const kind = `${session.editTrackId} ${chosen[0]?.key ?? ''} ${chosen.length}`;
  return (
    <div className="flex flex-col gap-3 p-3.5">
      <FirstSteps
        id="time"
        done={!!track?.time.length}
        text="Above is how it was sung, below how it is now. Drag a word sideways below, or its ends; E and R move what is chosen by 10 ms, S brings it to the beat, U takes everything back."
      />
      <Chosen session={session} list={chosen} />
      <GroupLine />
      <section aria-label="This word">
        <h2 className={title}>{chosen.length === 1 ? 'This note' : 'These notes together'}</h2>
        <div className="mt-1">
          {MEANT.map(({ of, set, ...look }) => (
            <ValueRow
              key={look.name}
              {...look}
              values={meant ? [Math.round(of(meant) * 10) / 10] : []}
              kind={`${look.name} ${kind}`}
              onSet={set}
            />
          ))}
        </div>
        <div className="mt-1 flex gap-1.5" role="group" aria-label="Neighbours">
          {(['give', 'gap'] as const).map(n => (
            <button
              key={n}
              className={`btn min-w-0 flex-1 px-1.5! ${time.neighbours === n ? 'btn-on' : ''}`}
              aria-pressed={time.neighbours === n}
              title="N"
              onClick={() => useTime.setState({ neighbours: n })}
            >
              {n === 'give' ? 'Others give way' : 'Leave a gap'}
            </button>
          ))}
        </div>
      </section>
      <Bring session={session} />
      <OffsetsChart notes={notes} />
      <KeptSelections />
    </div>
  );
}

/** What is chosen, in words and numbers. */
function Chosen({ session, list }: { session: SessionState; list: readonly TimedNote[] }) {
  const tempo = songOf(session)?.tempo;
  const { kind } = currentScope(session);
  const empty = 'Click a note, or draw a frame round several; Alt and drag chooses a stretch.';
  if (!list.length)
    return (
      <ChosenCard words={[]} empty={empty}>
        {null}
      </ChosenCard>
    );
  const [first, last] = [list[0], list[list.length - 1]];
  const [was, now] = [last.was.end - first.was.start, last.end - first.start];
  const lead = first.was.onset - first.was.start;
  const place = tempo && new BarGrid(tempo).placeAt(first.onset);
  const beat = place && `beat ${place.bar}.${place.beat}`;
  const off = first.offNow;
  return (
    <ChosenCard
      words={list.map(n => n.word)}
      spoken={list.some(n => n.spoken)}
      empty={empty}
      badge={off === null ? null : Math.abs(off) < 0.0005 ? 'on time' : `${ms(off)} ${off > 0 ? 'late' : 'early'}`}
    >
      {kind === 'phrase' ? `${countedSyllables(list)} of this phrase · ` : ''}
      {first.offWas !== null && Math.abs(first.offWas) >= 0.0005
        ? `sung ${ms(first.offWas)} ${first.offWas > 0 ? 'late' : 'early'}${beat ? ` at ${beat}` : ''} · `
        : beat
          ? `at ${beat} · `
          : ''}
      {Math.abs(was - now) < 0.003 ? `${now.toFixed(2)} s long` : `${was.toFixed(2)} s long, now ${now.toFixed(2)}`}
      {list.length === 1 && lead > 0.015 ? ` · its consonant keeps its ${ms(lead)}` : ''}
    </ChosenCard>
  );
}

/** Bringing what is chosen to the beat, to another track or back: said before it is done. */
function Bring({ session }: { session: SessionState }) {
  const time = useTime();
  const song = songOf(session);
  const others = song?.tracks.filter(t => isVocal(t) && t.id !== session.editTrackId) ?? [];
  const other = others.find(t => t.id === time.against);
  const { moves, count, furthest, wrong } = preview(session, time);
  const beside =
    time.against === 'beat' ? 'the beat' : time.against === 'sung' ? 'as sung' : (other?.name ?? 'the lead');
  const pick = (against: string) => useTime.setState({ against });
  return (
    <section aria-label="Against">
      <h2 className={title}>Against</h2>
      <div className="mt-1 flex gap-1.5" role="group" aria-label="Told beside">
        <button
          className={`btn flex-1 ${time.against === 'beat' ? 'btn-on' : ''}`}
          aria-pressed={time.against === 'beat'}
          onClick={() => pick('beat')}
        >
          Beat
        </button>
        {others.length > 0 && (
          <Select
            label="Another track"
            className={`flex-1 ${other ? 'btn-on' : ''}`}
            value={other?.id ?? ''}
            onChange={id => id && pick(id)}
            options={[['', 'Track…'], ...others.map((t): [string, string] => [t.id, t.name])]}
          />
        )}
        <button
          className={`btn flex-1 ${time.against === 'sung' ? 'btn-on' : ''}`}
          aria-pressed={time.against === 'sung'}
          onClick={() => pick('sung')}
        >
          As sung
        </button>
      </div>
      {time.against === 'beat' && (
        <div className="mt-1.5 grid grid-cols-[66px_1fr_74px] items-center gap-2">
          <span>Grid</span>
          <Select
            label="Grid"
            value={time.grid}
            onChange={grid => useTime.setState({ grid })}
            options={GRID_NAMES.map((g): [string, string] => [g, g.replace('T', ' triplet')])}
          />
          <span className="text-right tabular-nums text-ink-2">{time.swing > 50 ? 'swung' : 'even'}</span>
        </div>
      )}
      {time.against !== 'sung' && (
        <>
          {BRINGING.filter(f => f.field !== 'swing' || time.against === 'beat').map(({ field, ...look }) => (
            <ValueRow
              key={field}
              {...look}
              values={[time[field]]}
              kind={field}
              onSet={v => useTime.setState({ [field]: v ?? look.rest })}
            />
          ))}
          <p className="mt-1 text-[11.5px] text-ink-2" data-testid="preview">
            {wrong
              ? `${wrong[0].toUpperCase()}${wrong.slice(1)}.`
              : !moves.size
                ? `All ${count ? `${count} ` : ''}notes are there already.`
                : `${moves.size} of ${counted(count, 'note')} would move${furthest ? `, “${furthest.word}” the furthest: ${Math.abs(furthest.ms)} ms ${furthest.ms > 0 ? 'later' : 'earlier'}` : ''}.`}
          </p>
        </>
      )}
      <div className="mt-1.5 flex gap-1.5">
        <button
          className="btn btn-ink min-w-0 flex-1 px-2!"
          onClick={bring}
          title={`To ${beside}`}
          disabled={time.against !== 'sung' && !moves.size}
        >
          Bring <kbd>S</kbd>
        </button>
        <button className="btn flex-1 px-2!" onClick={() => act('as-sung', { what: 'time' })}>
          As sung <kbd>U</kbd>
        </button>
      </div>
    </section>
  );
}
