import { BarGrid, readTempoMap, type Tempo } from '@essim/core';
import { useRef } from 'react';
import { toast } from 'sonner';
import { clock } from '../../../field/draw/ground';
import { NumberInput } from '../../../shell/inputs';
import { player, songOf, useSession } from '../../../open-song';
import { barAtPlayhead, setTempo, takeEstimatedTempo } from '../edits';
import { ChangeRow, without, withChanged } from './ChangeRow';
import { tap } from './tap';

const select = 'rounded-lg border border-rule bg-card px-2 py-1 tabular-nums';
const METRES = [2, 3, 4, 5, 6, 7, 8, 9, 12];
const UNITS = [2, 4, 8, 16];

async function takeMap(file: File): Promise<void> {
  try {
    const map = readTempoMap(new Uint8Array(await file.arrayBuffer()));
    setTempo(`Tempo map of ${file.name}`, { ...map, beatUnit: 4 });
    toast.success(
      `${file.name}: ${map.bpm} bpm, ${map.changes.length} tempo ${map.changes.length === 1 ? 'change' : 'changes'}.`,
    );
  } catch (error) {
    toast.error(`${file.name} could not be used: ${error instanceof Error ? error.message : String(error)}.`);
  }
}

/** Tempo, metre and where bar 1 is: typed, tapped, estimated or read; with changes at bars. */
export function TimeCard() {
  const tempo = useSession(songOf)?.tempo;
  const backing = useSession(s => s.backing);
  const file = useRef<HTMLInputElement>(null);
  const estimate = backing?.tempo;
  return (
    <section className="card" aria-label="Time">
      <h2 className="text-[12.5px] font-semibold">Time</h2>
      <div className="mt-1 grid grid-cols-[62px_1fr] items-center gap-x-2 gap-y-1">
        <span className="text-ink-2">Tempo</span>
        <span className="flex items-center gap-1.5">
          {tempo ? (
            <NumberInput
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
            bpm
            {!tempo
              ? ''
              : !tempo.changes.length
                ? ', steady'
                : tempo.changes.length === 1
                  ? ', one change'
                  : `, ${tempo.changes.length} changes`}
          </span>
        </span>
        <span className="text-ink-2">Metre</span>
        <span className="flex items-center gap-1">
          <Beats
            label="Beats in a bar"
            value={tempo?.beatsPerBar ?? 4}
            onSet={beatsPerBar => setTempo(`${beatsPerBar} beats a bar`, { beatsPerBar })}
          />
          <span>/</span>
          <select
            className={select}
            aria-label="What a beat is"
            value={tempo?.beatUnit ?? 4}
            onChange={e => setTempo('Metre', { beatUnit: Number(e.target.value) })}
          >
            {UNITS.map(n => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </span>
        <span className="text-ink-2">Bar 1 at</span>
        <span className="flex items-center gap-1.5">
          {tempo && (
            <NumberInput
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
      {tempo && <Changes tempo={tempo} />}
      <div className="mt-2 grid grid-cols-3 gap-1.5">
        <button className="btn" onClick={e => tap(e.timeStamp)} title="Tap in time, three times or more">
          Tap <kbd>T</kbd>
        </button>
        <button
          className="btn"
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
        <button className="btn" onClick={() => file.current?.click()} title="Tempo map of a MIDI file">
          MIDI…
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
            if (f) void takeMap(f);
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

function Beats({ label, value, onSet }: { label: string; value: number; onSet: (n: number) => void }) {
  return (
    <select className={select} aria-label={label} value={value} onChange={e => onSet(Number(e.target.value))}>
      {(METRES.includes(value) ? METRES : [...METRES, value]).map(n => (
        <option key={n}>{n}</option>
      ))}
    </select>
  );
}

/** Other tempos and metres from a bar on. */
function Changes({ tempo }: { tempo: Tempo }) {
  const { changes, metres } = tempo;
  const grid = new BarGrid(tempo);
  const bar = () => barAtPlayhead(player()?.position ?? 0);
  const setChanges = (label: string, next: Tempo['changes']) =>
    setTempo(label, { changes: [...next].sort((a, b) => a.beat - b.beat) });
  const setMetres = (label: string, next: Tempo['metres']) =>
    setTempo(label, { metres: [...next].sort((a, b) => a.bar - b.bar) });
  return (
    <>
      {changes.map((c, i) => {
        const place = grid.place(c.beat + 1e-9);
        return (
          <ChangeRow
            key={`tempo ${i}`}
            what="tempo change"
            onDelete={() => setChanges('Delete a tempo change', without(changes, c))}
          >
            <span className="flex-1 text-ink-2">
              from bar {place.bar}
              {place.beat > 1 ? `, beat ${place.beat}` : ''}
            </span>
            <NumberInput
              label={`Tempo from bar ${place.bar}`}
              value={c.bpm}
              low={20}
              high={400}
              digits={2}
              onSet={bpm => setChanges(`Tempo ${bpm} bpm from bar ${place.bar}`, withChanged(changes, c, { bpm }))}
            />
          </ChangeRow>
        );
      })}
      {metres.map((m, i) => (
        <ChangeRow
          key={`metre ${i}`}
          what="metre change"
          onDelete={() => setMetres('Delete a metre change', without(metres, m))}
        >
          <span className="flex-1 text-ink-2">from bar {m.bar}</span>
          <Beats
            label={`Beats in a bar from bar ${m.bar}`}
            value={m.beatsPerBar}
            onSet={n => setMetres(`${n} beats a bar from bar ${m.bar}`, withChanged(metres, m, { beatsPerBar: n }))}
          />
          <span className="text-ink-2">/ {tempo.beatUnit}</span>
        </ChangeRow>
      ))}
      <div className="mt-1.5 flex items-center gap-1.5">
        <span className="text-[11.5px] text-ink-2">From the playhead’s bar on</span>
        <span className="flex-1" />
        <button
          className="pill"
          title="Another tempo from the playhead’s bar on"
          onClick={() => {
            const at = bar();
            const beat = grid.beatOfBar(at);
            const rest = changes.filter(c => c.beat !== beat);
            setChanges(`Tempo change at bar ${at}`, [...rest, { beat, bpm: tempo.bpm }]);
          }}
        >
          tempo
        </button>
        <button
          className="pill"
          title="Another metre from the playhead’s bar on"
          onClick={() => {
            const at = bar();
            const rest = metres.filter(m => m.bar !== at);
            setMetres(`Metre change at bar ${at}`, [...rest, { bar: at, beatsPerBar: tempo.beatsPerBar }]);
          }}
        >
          metre
        </button>
      </div>
    </>
  );
}
