import { guideOf, type Track } from '@essim/core';
import { Circle, Square } from 'lucide-react';
import { useEffect, useRef } from 'react';
import {
  chooseDevice,
  measureLatency,
  setLatency,
  startRecording,
  stopRecording,
  usualCue,
  useRecorder,
  type Device,
} from '../../recording/recorder';
import { Tick } from '../../shell/inputs';
import { GUIDE, player, sendClicks, songOf, useSession } from '../../open-song';

const select = 'rounded-lg border border-rule bg-card px-2 py-1 disabled:opacity-50';

/** Starts or stops recording into a track. */
export const toggleRecording = (track: Track): void =>
  void (useRecorder.getState().phase === 'recording' ? stopRecording() : startRecording(track));

/** Device, count-in, cue, latency, input level, and the button. */
export function RecordBar({ track }: { track: Track }) {
  const r = useRecorder();
  const song = useSession(songOf);
  const busy = r.phase !== 'idle';
  const cues = r.cue ?? (song ? usualCue(song, track) : []);
  const cue = (id: string) =>
    useRecorder.setState({ cue: cues.includes(id) ? cues.filter(c => c !== id) : [...cues, id] });
  return (
    <section className="card mt-3" aria-label="Recording">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <button
          className={`btn ${r.phase === 'recording' ? 'btn-on' : 'btn-ink'}`}
          onClick={() => toggleRecording(track)}
          disabled={busy && r.phase !== 'recording'}
          data-testid="record"
        >
          {r.phase === 'recording' ? (
            <>
              <Square size={11} fill="currentColor" aria-hidden /> Stop
            </>
          ) : (
            <>
              <Circle size={11} fill="var(--rose)" stroke="none" aria-hidden /> Record
            </>
          )}
          <kbd>R</kbd>
        </button>
        <label className="flex items-center gap-1.5">
          <span className="text-ink-2">from</span>
          <select
            className={select}
            value={r.device}
            disabled={busy}
            aria-label="Microphone"
            onChange={e => chooseDevice(e.target.value as Device)}
          >
            <option value="microphone">the microphone</option>
            <option value="simulated">the simulated microphone</option>
          </select>
        </label>
        <label className="flex items-center gap-1.5">
          <span className="text-ink-2">Count-in</span>
          <select
            className={select}
            value={r.countIn}
            disabled={busy}
            onChange={e => useRecorder.setState({ countIn: Number(e.target.value) as 0 | 1 | 2 })}
          >
            <option value={0}>none</option>
            <option value={1}>1 bar</option>
            <option value={2}>2 bars</option>
          </select>
        </label>
        <Tick checked={r.rounds} disabled={busy} onSet={rounds => useRecorder.setState({ rounds })}>
          round the phrase, a take each time
        </Tick>
        <InputMeter />
      </div>
      <div className="mt-2.5 flex flex-wrap items-center gap-x-4 gap-y-2">
        <span className="flex flex-wrap items-center gap-1" role="group" aria-label="In the headphones">
          <span className="mr-1 text-ink-2">In the headphones</span>
          {song?.tracks
            .filter(t => t.takes.length)
            .map(t => (
              <button
                key={t.id}
                className="pill"
                aria-pressed={cues.includes(t.id)}
                onClick={() => cue(t.id)}
                disabled={busy}
                title={t.id === track.id ? 'The takes so far, as edited' : undefined}
              >
                {t.id === track.id ? `${t.name}, as tuned` : t.name}
              </button>
            ))}
          {song && guideOf(song, track) && (
            <button
              className="pill"
              aria-pressed={cues.includes(GUIDE)}
              onClick={() => cue(GUIDE)}
              disabled={busy}
              title="The melody this track is meant to sing, as tones"
            >
              {guideOf(song, track)!.name}, as tones
            </button>
          )}
        </span>
        <label className="flex items-center gap-1.5">
          <span className="text-ink-2">Latency</span>
          <input
            className={`${select} w-[70px] tabular-nums`}
            type="number"
            min={0}
            max={500}
            step={0.1}
            value={r.latencyMs}
            disabled={busy}
            onChange={e => setLatency(Math.max(0, Math.min(500, Number(e.target.value) || 0)))}
            onKeyDown={e => e.stopPropagation()}
          />
          ms
        </label>
        <button
          className="btn"
          disabled={busy}
          title="Plays clicks and listens for them: hold a headphone to the microphone"
          onClick={() => void measureLatency(sendClicks)}
        >
          {r.phase === 'measuring' ? 'Measuring…' : 'Measure'}
        </button>
        {r.suggestedMs !== null && (
          <span className="flex items-center gap-1.5 tabular-nums">
            {r.suggestedMs} ms measured
            <button className="pill" onClick={() => setLatency(r.suggestedMs!)}>
              use it
            </button>
          </span>
        )}
      </div>
      <p className="mt-2 text-[12px] text-ink-2">
        <span aria-live="polite">
          {r.phase === 'preparing'
            ? 'Getting ready…'
            : r.phase === 'recording'
              ? r.rounds
                ? `Recording round ${r.round + 1} of the phrase. Every round becomes a take.`
                : 'Recording. Every second is kept as it comes.'
              : r.phase === 'finishing'
                ? 'Keeping the take…'
                : r.rounds
                  ? 'Records the phrase at the playhead again and again until you stop.'
                  : 'Records from the playhead until you stop; the takes there are stay as they are.'}
        </span>
        {r.phase === 'recording' && r.keptSeconds >= 1 && (
          <span className="tabular-nums" data-testid="kept">{` ${Math.floor(r.keptSeconds)} s kept so far.`}</span>
        )}
      </p>
    </section>
  );
}

const LOWEST_DB = -54;

/** Level at the microphone; says so when it clips. Written straight into the page each frame. */
function InputMeter() {
  const bar = useRef<HTMLSpanElement>(null);
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let frame = 0;
    const tick = () => {
      const { peak, clipped } = player()?.input ?? { peak: 0, clipped: 0 };
      const db = 20 * Math.log10(Math.max(peak, 1e-6));
      if (bar.current) {
        bar.current.style.width = `${Math.max(0, Math.min(1, (db - LOWEST_DB) / -LOWEST_DB)) * 100}%`;
        bar.current.style.background = clipped || db > -1 ? 'var(--rose)' : db > -6 ? 'var(--amber)' : 'var(--teal)';
      }
      const say = clipped
        ? `clipped ${clipped} ${clipped === 1 ? 'sample' : 'samples'}: turn the input down`
        : peak > 1e-4
          ? `${Math.round(db)} dB`
          : 'silent';
      if (text.current && text.current.textContent !== say) text.current.textContent = say;
      frame = requestAnimationFrame(tick);
    };
    tick();
    return () => cancelAnimationFrame(frame);
  }, []);
  return (
    <span className="flex items-center gap-2">
      <span className="text-ink-2">Input</span>
      <span className="h-2 w-28 overflow-hidden rounded bg-rule-soft">
        <span ref={bar} className="block h-full" data-testid="input-meter" />
      </span>
      <span ref={text} className="w-40 text-[11.5px] text-ink-2 tabular-nums" role="status" />
    </span>
  );
}
