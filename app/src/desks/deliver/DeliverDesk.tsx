import { floatsOf, lengthOf, soundsInMix, type Track } from '@essim/core';
import { useEffect, useMemo, useRef } from 'react';
import { trackColour } from '../../field/palette';
import { bounceTrack, reopenBounce } from '../../exchange/bouncing';
import { Faders } from '../../shell/Fader';
import { LEVEL, LevelAndPan } from '../../shell/LevelAndPan';
import { eachFrame, TrackMeter } from '../../shell/meters';
import { act, editTrack, opened, player, songOf, trackOf, useSession, viewOf } from '../../open-song';
import { setMix } from '../../commands/tracks';
import { CEILING_DB } from './Measured';

/** The Deliver desk's middle: every track with its level, place and meter, the mix below them. */
export function DeliverDesk() {
  const song = useSession(songOf);
  const { tracks, masterDb } = song ?? { tracks: [], masterDb: 0 };
  if (!tracks.length)
    return (
      <div className="grid h-full place-items-center p-8 text-center text-ink-2">
        <p>There is nothing to deliver yet. Bring recordings in at Gather.</p>
      </div>
    );
  return (
    <div className="h-full overflow-auto px-6 py-5" data-testid="mixer">
      <h2 className="text-[17px] font-semibold tracking-tight">The mix</h2>
      <p className="mt-0.5 text-ink-2">
        What is set here is what stems and mix are made with. Double-click a fader to put it back.
      </p>
      <ul className="mt-4 flex flex-col gap-2">
        {tracks.map((t, i) => (
          <Row key={t.id} track={t} index={i} all={tracks} />
        ))}
      </ul>
      <Master masterDb={masterDb} />
    </div>
  );
}

function Row({ track, index, all }: { track: Track; index: number; all: readonly Track[] }) {
  const editing = useSession(s => s.editTrackId === track.id);
  const about = useSession(s => {
    if (track.part) return `part of ${trackOf(s, track.part.fromId)?.name ?? 'a track that is gone'}`;
    const lead = track.followsId && trackOf(s, track.followsId);
    if (lead) return `${track.role}, follows ${lead.name}${track.found ? '' : ', not aligned'}`;
    return viewOf(s, track.id).status === 'reading' ? 'being read' : track.role;
  });
  const sounds = soundsInMix(track, all);
  return (
    <li
      className={`grid grid-cols-[6px_118px_minmax(60px,1fr)_auto_236px] items-center gap-3.5 rounded-xl border border-rule px-3 py-2.5 ${editing ? 'bg-card' : 'bg-panel'} ${sounds ? '' : 'text-ink-3'}`}
      data-testid={`mix-${track.name}`}
    >
      <TrackMeter index={index} colour={trackColour(track)} className="h-12 w-1.5" />
      <button className="min-w-0 text-left" onClick={() => editTrack(track.id)} aria-pressed={editing}>
        <span className="block truncate font-semibold">{track.name}</span>
        <span className="block truncate text-[11px] text-ink-2">{sounds ? about : 'not in the mix'}</span>
      </button>
      <Overview track={track} faint={!sounds} />
      <span className="flex flex-col gap-1">
        <button
          className={`btn ${track.mute ? 'btn-on' : ''}`}
          aria-pressed={track.mute}
          aria-label={`Mute ${track.name}`}
          onClick={() => setMix(track, { mute: !track.mute })}
        >
          Mute
        </button>
        <button
          className={`btn ${track.solo ? 'btn-on' : ''}`}
          aria-pressed={track.solo}
          aria-label={`Solo ${track.name}`}
          onClick={() => setMix(track, { solo: !track.solo })}
        >
          Solo
        </button>
      </span>
      <div>
        <LevelAndPan track={track} />
        <Bounce track={track} original={trackOfId(all, track.bouncedFromId)} />
      </div>
    </li>
  );
}

const trackOfId = (all: readonly Track[], id: string | null) => all.find(t => t.id === id);

function Bounce({ track, original }: { track: Track; original: Track | undefined }) {
  if (!track.segments.length) return null;
  return original ? (
    <button
      className="pill mt-1"
      title={`Lets ${original.name} be heard again, with every edit, and mutes this`}
      onClick={() => reopenBounce(track)}
    >
      Open {original.name} again
    </button>
  ) : (
    <button
      className="pill mt-1"
      title="Makes a new track of what it sounds like; the original stays, muted (B)"
      onClick={() => bounceTrack(track)}
    >
      Bounce
    </button>
  );
}

const POINTS = 150;

/** Where in the song a track sounds, and how loud. */
function Overview({ track, faint }: { track: Track; faint: boolean }) {
  const levels = useSession(s => viewOf(s, track.id).reading?.levelDb);
  const duration = useSession(s => s.duration);
  const own = useSession(s => s.takes);
  const heights = useMemo(
    () => (levels ? byFrames(levels, duration) : bySamples(track, duration)),
    // a backing has no reading: its samples come in with its takes
    // oxlint-disable-next-line react-hooks/exhaustive-deps
    [levels, duration, track, levels ? null : own],
  );
  return (
    <svg viewBox={`0 0 ${POINTS} 40`} preserveAspectRatio="none" className="h-12 w-full" aria-hidden>
      <line x1={0} x2={POINTS} y1={20} y2={20} stroke="var(--rule)" strokeWidth={0.5} />
      {heights.map((h, i) =>
        h > 0.02 ? (
          <rect
            key={i}
            x={i + 0.15}
            width={0.7}
            y={20 - 19 * h}
            height={38 * h}
            fill={`var(--${trackColour(track)})`}
            opacity={faint ? 0.3 : 0.75}
          />
        ) : null,
      )}
    </svg>
  );
}

function byFrames(levelDb: Float32Array, duration: number): number[] {
  const loudest = levelDb.reduce((m, v) => Math.max(m, v), -60);
  return Array.from({ length: POINTS }, (_, i) => {
    const at = (x: number) => Math.round(((x / POINTS) * duration) / 0.005);
    let most = -120;
    for (let k = at(i); k < Math.min(levelDb.length, at(i + 1)); k++) most = Math.max(most, levelDb[k]);
    return Math.max(0, 1 + (most - loudest) / 40);
  });
}

/** So many samples of every so many are enough to see where something sounds. */
const LOOKED_AT = 1024;
const STRIDE = 8 * LOOKED_AT;
function bySamples(track: Track, duration: number): number[] {
  const take = track.takes.find(t => t.id === track.segments[0]?.takeId);
  const x = take && opened()?.sounds.get(take.id)?.sung[0];
  const rate = player()?.sampleRate;
  if (!x || !rate) return [];
  const at = (i: number) => Math.round(((i / POINTS) * duration - take.offsetSeconds) * rate);
  const peaks = Array.from({ length: POINTS }, (_, i) => {
    let most = 0;
    const end = Math.min(lengthOf(x), at(i + 1));
    for (let k = Math.max(0, at(i)); k < end; k += STRIDE)
      for (const v of floatsOf(x, k, Math.min(end, k + LOOKED_AT))) most = Math.max(most, Math.abs(v));
    return most;
  });
  const loudest = Math.max(1e-6, ...peaks);
  return peaks.map(p => p / loudest);
}

const FLOOR_DB = -54;
/** The meter's end: there is room to see how far it goes over. */
const TOP_DB = 3;

const MASTER = [LEVEL] as const;
const share = (db: number) => Math.max(0, Math.min(100, ((db - FLOOR_DB) / (TOP_DB - FLOOR_DB)) * 100));

/** The sum: its fader, its meter left and right, and the highest true peak since it began to play, beside the ceiling. */
function Master({ masterDb }: { masterDb: number }) {
  const bars = useRef<(HTMLSpanElement | null)[]>([]);
  const text = useRef<HTMLSpanElement>(null);
  const highest = useRef<HTMLSpanElement>(null);
  useEffect(
    () =>
      eachFrame(() => {
        const p = player();
        const peaks = p?.peaks ?? [0, 0];
        peaks.forEach((v, i) => {
          const bar = bars.current[i];
          if (bar) bar.style.width = `${share(20 * Math.log10(v + 1e-6))}%`;
        });
        const most = 20 * Math.log10(Math.max(...peaks) + 1e-6);
        if (text.current)
          text.current.textContent = most < FLOOR_DB ? 'silent' : `${most.toFixed(1).replace('-', '−')} dB`;
        const top = 20 * Math.log10((p?.truePeak ?? 0) + 1e-6);
        if (highest.current) {
          highest.current.textContent =
            top < FLOOR_DB
              ? `ceiling ${CEILING_DB.toString().replace('-', '−')} dBTP`
              : `${top.toFixed(1).replace('-', '−')} dBTP${top > CEILING_DB ? ', over the ceiling' : ''}`;
          highest.current.classList.toggle('text-rose', top > CEILING_DB);
        }
      }),
    [],
  );
  return (
    <section
      className="mt-4 grid grid-cols-[minmax(64px,118px)_minmax(60px,1fr)_minmax(104px,130px)_236px] items-center gap-3.5 rounded-xl border border-rule bg-panel px-3 py-3"
      aria-label="Master"
      data-testid="master"
    >
      <span className="font-semibold">Master</span>
      <span className="relative flex flex-col gap-1">
        {['left', 'right'].map((side, i) => (
          <span key={side} className="h-2 overflow-hidden rounded bg-rule-soft">
            <span ref={e => void (bars.current[i] = e)} className="block h-full bg-teal" style={{ width: 0 }} />
          </span>
        ))}
        <span
          className="absolute -top-1 -bottom-1 w-[2px] bg-rose"
          style={{ left: `${share(CEILING_DB)}%` }}
          title={`Ceiling, ${CEILING_DB} dB true peak`}
        />
      </span>
      <span className="text-right text-[11.5px] tabular-nums">
        <span ref={text} className="block text-ink-2">
          silent
        </span>
        <span
          ref={highest}
          className="block"
          data-testid="true-peak"
          title="Highest true peak since it began to play; over the ceiling converters and codecs may clip"
        />
      </span>
      <div>
        <Faders
          faders={MASTER}
          values={{ level: masterDb }}
          of="master"
          onChange={(_, v, how) => void act('master', { levelDb: v }, how)}
        />
      </div>
    </section>
  );
}
