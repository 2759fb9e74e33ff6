import {
  BarGrid,
  estimateReference,
  keyName,
  noteName,
  parseKey,
  readTempoMap,
  SetSong,
  type KeyChange,
  type SongKey,
  type Tempo,
} from '@essim/core';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { clock } from '../../field/draw/ground';
import {
  editTrackOf,
  editViewOf,
  keyOf,
  leadOf,
  player,
  rankedKeys,
  run,
  songOf,
  useSession,
  viewOf,
} from '../../store/session';
import { barAtPlayhead, estimateChords, setKey, setTempo, setUpFromBacking, takeEstimatedTempo } from './edits';

const KEYS: SongKey[] = (['major', 'minor'] as const).flatMap(mode =>
  Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode })),
);
const field = 'rounded-lg border border-rule bg-card px-2 py-1 tabular-nums';

/** Key, time and voice: what is set before anything is tuned. */
export function SetUp() {
  const backing = useSession(s => s.backing);
  const song = useSession(songOf);
  const fresh = song && !song.tempo && !song.key && !song.chords.length && backing;
  return (
    <>
      {fresh && (
        <div className="card mt-4 flex flex-wrap items-center gap-3 border-teal">
          <p className="flex-1">
            The backing has been listened to
            {backing.tempo ? `: ${backing.tempo.bpm} bpm, ${backing.tempo.beatsPerBar} beats a bar` : ''}. Nothing is
            set yet.
          </p>
          <button className="btn btn-ink" onClick={setUpFromBacking} data-testid="set-up">
            Set up from the backing
          </button>
        </div>
      )}
      <div className="mt-4 grid grid-cols-3 gap-3 max-[1100px]:grid-cols-2">
        <KeyCard />
        <TimeCard />
        <VoiceCard />
      </div>
    </>
  );
}

function KeyCard() {
  const session = useSession();
  const song = songOf(session);
  const { key, chosen, confidence } = keyOf(session);
  const ranked = rankedKeys(session).slice(0, 3);
  const lead = song && leadOf(song);
  const notes = lead ? viewOf(session, lead.id).notes.length : 0;
  const from = [notes ? `${notes} notes` : '', session.backing ? 'the backing' : ''].filter(Boolean).join(' and ');
  const setChanges = (label: string, keyChanges: KeyChange[]) => run(new SetSong(label, { keyChanges }));
  return (
    <section className="card" aria-label="Key">
      <h2 className="text-[12.5px] font-semibold">{from ? `Key, from ${from}` : 'Key'}</h2>
      {ranked.map(k => {
        const now = key?.tonic === k.tonic && key.mode === k.mode;
        return (
          <button
            key={keyName(k)}
            className={`grid w-full grid-cols-[84px_1fr_40px] items-center gap-2 rounded px-1 py-[3px] text-left hover:bg-rule-soft ${now ? 'font-semibold' : ''}`}
            aria-pressed={now && chosen}
            title={`Set the key to ${keyName(k)}`}
            onClick={() => setKey({ tonic: k.tonic, mode: k.mode }, `Key ${keyName(k)}`)}
          >
            <span>{keyName(k)}</span>
            <span className="h-1.5 overflow-hidden rounded bg-rule-soft">
              <span className="block h-full bg-teal" style={{ width: `${k.confidence * 100}%` }} />
            </span>
            <span className="text-right text-ink-2 tabular-nums">{Math.round(k.confidence * 100)} %</span>
          </button>
        );
      })}
      {!ranked.length && <p className="py-1 text-ink-2">No notes and no backing to tell it from yet.</p>}
      <div className="mt-1.5 flex items-center gap-2">
        <select
          className={`${field} w-0 flex-1`}
          aria-label="Key of the song"
          value={chosen && key ? keyName(key) : ''}
          onChange={e =>
            e.target.value ? setKey(parseKey(e.target.value), `Key ${e.target.value}`) : setKey(null, 'Key estimated')
          }
        >
          <option value="">
            {key ? `estimated: ${keyName(key)}, ${Math.round(confidence * 100)} %` : 'not known'}
          </option>
          {KEYS.map(k => (
            <option key={keyName(k)}>{keyName(k)}</option>
          ))}
        </select>
        <button
          className="btn"
          disabled={!song?.tempo}
          title={song?.tempo ? 'Another key from the playhead’s bar on' : 'Set a tempo first: key changes lie on bars'}
          onClick={() => {
            const bar = barAtPlayhead(player()?.position ?? 0);
            const rest = song!.keyChanges.filter(c => c.bar !== bar);
            setChanges(`Key change at bar ${bar}`, [
              ...rest,
              { bar, ...(key ?? { tonic: 0, mode: 'major' as const }) },
            ]);
          }}
        >
          Change…
        </button>
      </div>
      {[...(song?.keyChanges ?? [])]
        .sort((a, b) => a.bar - b.bar)
        .map((c, i, all) => (
          <div key={i} className="mt-1 flex items-center gap-1.5">
            <span>bar</span>
            <Typed
              label="Bar of the key change"
              value={c.bar}
              low={2}
              high={9999}
              digits={0}
              onSet={bar =>
                setChanges(
                  'Key change',
                  all.map(q => (q === c ? { ...q, bar } : q)),
                )
              }
            />
            <select
              className={`${field} w-0 flex-1`}
              aria-label="Key from there"
              value={keyName(c)}
              onChange={e =>
                setChanges(
                  'Key change',
                  all.map(q => (q === c ? { ...q, ...parseKey(e.target.value) } : q)),
                )
              }
            >
              {KEYS.map(k => (
                <option key={keyName(k)}>{keyName(k)}</option>
              ))}
            </select>
            <button
              className="pill"
              aria-label="Delete the key change"
              onClick={() =>
                setChanges(
                  'Delete a key change',
                  all.filter(q => q !== c),
                )
              }
            >
              ×
            </button>
          </div>
        ))}
      <p className="mt-2 text-[11.5px] text-ink-2">
        Changing the key moves no note; it changes the marks and where settling puts notes from then on.
      </p>
    </section>
  );
}

/** A number that is set when it is left or Enter is pressed, and put back when it is no good. */
function Typed({
  label,
  value,
  low,
  high,
  digits,
  onSet,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  digits: number;
  onSet: (value: number) => void;
}) {
  const shown = String(Number(value.toFixed(digits)));
  return (
    <input
      key={shown}
      className={`${field} w-[60px]`}
      inputMode="decimal"
      aria-label={label}
      defaultValue={shown}
      onBlur={e => {
        const typed = Number(e.target.value.replace(',', '.'));
        if (Number.isFinite(typed) && typed >= low && typed <= high) {
          if (typed !== value) onSet(typed);
          return;
        }
        toast.error(`${label}: a number from ${low} to ${high} is wanted, not “${e.target.value}”.`);
        e.target.value = shown;
      }}
      onKeyDown={e => {
        e.stopPropagation();
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') {
          e.currentTarget.value = shown;
          e.currentTarget.blur();
        }
      }}
    />
  );
}

/** Taps within this of each other belong together, ms. */
const TAP_PAUSE = 2500;
let taps: number[] = [];
/** Tempo of the taps so far: the mean of their distances; null before the third. */
function tapped(): number | null {
  const now = performance.now();
  taps = taps.length && now - taps[taps.length - 1] > TAP_PAUSE ? [now] : [...taps.slice(-11), now];
  return taps.length < 3 ? null : (60000 * (taps.length - 1)) / (taps[taps.length - 1] - taps[0]);
}

/** Takes a tap for the tempo; also by key. */
export function tap(): void {
  const bpm = tapped();
  if (bpm && bpm >= 20 && bpm <= 400)
    setTempo(`Tempo ${bpm.toFixed(1)} bpm, tapped`, { bpm: Math.round(bpm * 10) / 10, changes: [] }, 'tap');
  else toast('Keep tapping in time…', { id: 'tap', duration: 1500 });
}

function TimeCard() {
  const song = useSession(songOf);
  const backing = useSession(s => s.backing);
  const file = useRef<HTMLInputElement>(null);
  const tempo = song?.tempo;
  const estimate = backing?.tempo;
  const setChanges = (label: string, changes: Tempo['changes']) => setTempo(label, { changes });
  const fromMidi = async (f: File) => {
    try {
      const map = readTempoMap(new Uint8Array(await f.arrayBuffer()));
      setTempo(`Tempo map of ${f.name}`, { ...map, beatUnit: 4 });
      toast.success(
        `${f.name}: ${map.bpm} bpm, ${map.changes.length} tempo ${map.changes.length === 1 ? 'change' : 'changes'}.`,
      );
    } catch (error) {
      toast.error(`${f.name} could not be used: ${error instanceof Error ? error.message : String(error)}.`);
    }
  };
  return (
    <section className="card" aria-label="Time">
      <h2 className="text-[12.5px] font-semibold">Time</h2>
      <div className="mt-1 grid grid-cols-[62px_1fr] items-center gap-x-2 gap-y-1">
        <span className="text-ink-2">Tempo</span>
        <span className="flex items-center gap-1.5">
          {tempo ? (
            <Typed
              label="Tempo in beats a minute"
              value={tempo.bpm}
              low={20}
              high={400}
              digits={2}
              onSet={bpm => setTempo(`Tempo ${bpm} bpm`, { bpm })}
            />
          ) : (
            <button className="btn" onClick={() => setTempo('Tempo 120 bpm', { bpm: 120 })}>
              Type it
            </button>
          )}
          <span className="text-ink-2">
            bpm{tempo?.changes.length ? `, ${tempo.changes.length} changes` : tempo ? ', steady' : ''}
          </span>
        </span>
        <span className="text-ink-2">Metre</span>
        <span className="flex items-center gap-1">
          <select
            className={field}
            aria-label="Beats in a bar"
            value={tempo?.beatsPerBar ?? 4}
            onChange={e => setTempo(`${e.target.value} beats a bar`, { beatsPerBar: Number(e.target.value) })}
          >
            {[2, 3, 4, 5, 6, 7, 8, 9, 12].map(n => (
              <option key={n}>{n}</option>
            ))}
          </select>
          <span>/</span>
          <select
            className={field}
            aria-label="What a beat is"
            value={tempo?.beatUnit ?? 4}
            onChange={e => setTempo('Metre', { beatUnit: Number(e.target.value) })}
          >
            {[2, 4, 8, 16].map(n => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </span>
        <span className="text-ink-2">Bar 1 at</span>
        <span className="flex items-center gap-1.5">
          {tempo && (
            <Typed
              label="Start of bar 1 in seconds"
              value={tempo.firstBarSeconds}
              low={-60}
              high={3600}
              digits={3}
              onSet={firstBarSeconds => setTempo('Bar 1 moved', { firstBarSeconds })}
            />
          )}
          <span className="text-ink-2">s</span>
          <button
            className="pill"
            title="Bar 1 begins at the playhead"
            onClick={() => {
              const firstBarSeconds = player()?.position ?? 0;
              setTempo(`Bar 1 at ${clock(firstBarSeconds, 2)}`, { firstBarSeconds });
            }}
          >
            playhead
          </button>
        </span>
      </div>
      {tempo?.changes.map((c, i) => (
        <TempoChangeRow key={`${c.beat} ${i}`} tempo={tempo} index={i} onSet={setChanges} />
      ))}
      <div className="mt-2 flex flex-wrap gap-1.5">
        <button className="btn flex-1" onClick={tap} title="Tap in time, three times or more">
          Tap <kbd>T</kbd>
        </button>
        <button
          className="btn flex-1"
          disabled={!estimate}
          title={
            estimate
              ? `${estimate.bpm} bpm, ${Math.round(estimate.confidence * 100)} % sure`
              : backing
                ? 'Nothing regular was heard in the backing'
                : 'There is no backing to estimate it from'
          }
          onClick={() => backing && takeEstimatedTempo(backing)}
        >
          Estimate
        </button>
        <button className="btn flex-1" onClick={() => file.current?.click()} title="Tempo map of a MIDI file">
          MIDI…
        </button>
        <button
          className="btn flex-1"
          disabled={!tempo}
          title="Another tempo from the playhead’s bar on"
          onClick={() => {
            const bar = barAtPlayhead(player()?.position ?? 0);
            const beat = new BarGrid(tempo!).beatOfBar(bar);
            const rest = tempo!.changes.filter(c => c.beat !== beat);
            setChanges(
              `Tempo change at bar ${bar}`,
              [...rest, { beat, bpm: tempo!.bpm }].sort((a, b) => a.beat - b.beat),
            );
          }}
        >
          Change…
        </button>
        <input
          ref={file}
          type="file"
          accept=".mid,.midi,audio/midi"
          className="hidden"
          data-testid="midi-file"
          onChange={e => {
            const f = e.target.files?.[0];
            e.target.value = '';
            if (f) void fromMidi(f);
          }}
        />
      </div>
      {estimate?.alsoBpm && (
        <p className="mt-1.5 text-[11.5px] text-amber">
          It may also be {estimate.alsoBpm} bpm: half and double tempo sound alike here.{' '}
          <button
            className="underline"
            onClick={() => setTempo(`Tempo ${estimate.alsoBpm} bpm`, { bpm: estimate.alsoBpm!, changes: [] })}
          >
            Use that
          </button>
        </p>
      )}
    </section>
  );
}

function TempoChangeRow({
  tempo,
  index,
  onSet,
}: {
  tempo: Tempo;
  index: number;
  onSet: (label: string, changes: Tempo['changes']) => void;
}) {
  const change = tempo.changes[index];
  const place = new BarGrid(tempo).place(change.beat + 1e-9);
  return (
    <div className="mt-1 flex items-center gap-1.5">
      <span className="flex-1 text-ink-2">
        from bar {place.bar}
        {place.beat > 1 ? `, beat ${place.beat}` : ''}
      </span>
      <Typed
        label={`Tempo from bar ${place.bar}`}
        value={change.bpm}
        low={20}
        high={400}
        digits={2}
        onSet={bpm =>
          onSet(
            'Tempo change',
            tempo.changes.map((c, i) => (i === index ? { ...c, bpm } : c)),
          )
        }
      />
      <button
        className="pill"
        aria-label="Delete the tempo change"
        onClick={() =>
          onSet(
            'Delete a tempo change',
            tempo.changes.filter((_, i) => i !== index),
          )
        }
      >
        ×
      </button>
    </div>
  );
}

function VoiceCard() {
  const session = useSession();
  const song = songOf(session);
  const track = editTrackOf(session);
  const view = editViewOf(session);
  const [estimated, setEstimated] = useState('');
  const estimate = () => {
    const found = estimateReference(view.reading?.notes ?? [], session.backing);
    if (!found) return toast('There are too few notes and no clear backing to tell the reference pitch from.');
    const hz = Math.abs(found.cents) < 1.5 ? 440 : found.hz;
    run(new SetSong(`A = ${hz} Hz, estimated`, { referenceHz: hz }));
    setEstimated(
      `${found.cents >= 0 ? '+' : '−'}${Math.abs(found.cents).toFixed(1)} cents, from the ${found.from}, ${Math.round(found.confidence * 100)} % sure`,
    );
  };
  const pitches = view.notes.map(n => n.sung);
  return (
    <section className="card flex flex-col" aria-label="Voice">
      <h2 className="text-[12.5px] font-semibold">Voice</h2>
      <div className="mt-1 grid grid-cols-[62px_1fr] items-center gap-x-2 gap-y-1.5">
        <span className="text-ink-2">Sung</span>
        <span className="font-semibold">
          {pitches.length
            ? `${noteName(Math.min(...pitches), keyOf(session).key)} to ${noteName(Math.max(...pitches), keyOf(session).key)}, read as ${view.reading?.range === 'mid' ? 'middle' : view.reading?.range}`
            : '–'}
        </span>
        <span className="text-ink-2">Reference</span>
        <span className="flex items-center gap-1.5">
          <span className="whitespace-nowrap">A =</span>
          <Typed
            label="Reference pitch in hertz"
            value={song?.referenceHz ?? 440}
            low={400}
            high={480}
            digits={1}
            onSet={referenceHz => run(new SetSong(`A = ${referenceHz} Hz`, { referenceHz }))}
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
        <button className="btn flex-1" disabled={!session.backing} onClick={estimateChords}>
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
