import { clipsOf, type Phrase, type Take, type Track } from '@essim/core';
import { Play, Square, X } from 'lucide-react';
import { memo, useRef, useState, type PointerEvent } from 'react';
import { useDropzone } from 'react-dropzone';
import { beginImport } from '../../../exchange/importing';
import { audition, useSession } from '../../../open-song';
import { explained, inTuneOf, timeOfX, xOfTime, type Column, type PhraseCells } from '../cells';
import { pickAll, pickPart, pickPhrase, removeTake } from '../edits';
import { chooseCell, useGather } from '../state';
import { HEAR_BEFORE, LANE, laneStyle, NAMES, type Sight } from './layout';
import { TakeName } from './TakeName';
import { Wave } from './Wave';

const DRAG_FROM = 5;

/** Two short bars with their numbers: in tune (teal), in time (grey). */
function ScoreBars({ tune, time, narrow }: { tune: number; time: number; narrow: boolean }) {
  const bar = (share: number, colour: string) => (
    <span className="flex min-w-0 flex-1 items-center gap-1">
      <span className="h-[3px] min-w-2 flex-1 overflow-hidden rounded bg-rule-soft">
        <span className="block h-full" style={{ width: `${(share || 0) * 100}%`, background: colour }} />
      </span>
      <span className="text-[10.5px] text-ink-2 tabular-nums">
        {Number.isNaN(share) ? '–' : Math.round(share * 100)}
      </span>
    </span>
  );
  return (
    <span className={`flex pb-1 ${narrow ? 'gap-1 px-1' : 'gap-1.5 px-2'}`}>
      {bar(tune, 'var(--teal)')}
      {bar(time, 'var(--ink-2)')}
    </span>
  );
}

interface TakeLaneProps {
  track: Track;
  take: Take;
  phrases: Phrase[];
  columns: Column[];
  cells: readonly PhraseCells[];
  sight: Sight;
}

/** A take: what is known of it, and its phrases as cells. */
export const TakeLane = memo(function TakeLane({ track, take, phrases, columns, cells, sight }: TakeLaneProps) {
  const view = useSession(s => s.takes[take.id]);
  const heard = useSession(s => s.audition);
  const chosen = useGather();
  const body = useRef<HTMLDivElement>(null);
  const drag = useRef<{ x: number; now: number } | null>(null);
  const [dragged, setSpan] = useState<{ from: number; to: number } | null>(null);
  const span = dragged ?? (chosen.takeId === take.id ? chosen.stretch : null);
  const clips = clipsOf(track);
  /** How much of a phrase comes from this take. */
  const share = (p: Phrase) =>
    clips
      .filter(c => c.takeId === take.id)
      .reduce((s, c) => s + Math.max(0, Math.min(c.to, p.end) - Math.max(c.from, p.start)), 0) /
    (p.end - p.start);
  const at = (e: PointerEvent) => e.clientX - body.current!.getBoundingClientRect().left;
  const status = view?.status ?? 'waiting';
  const whole = clips.length === 1 && clips[0].takeId === take.id;
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    noDragEventsBubbling: true,
    onDrop: files => void beginImport(files, { kind: 'takes', trackId: track.id }),
  });
  const playing = heard?.takeId === take.id;
  const inTune = inTuneOf(cells, take.id);
  const used = whole
    ? 'heard throughout'
    : `${Math.round((100 * phrases.filter(p => share(p) > 0.5).length) / phrases.length)} % of the comp`;
  return (
    <div className={LANE} style={laneStyle} data-testid={`take-${take.name}`}>
      <div {...getRootProps()} role={undefined} className={`${NAMES} rounded-lg ${isDragActive ? 'bg-teal-soft' : ''}`}>
        <input {...getInputProps()} aria-label={`Sound files for ${track.name}`} data-testid="take-files" />
        <TakeName track={track} take={take} />
        <span className="block truncate text-[11px] text-ink-2" title={used}>
          {status === 'reading' || view?.readUntil !== undefined
            ? `reading ${Math.round((view?.progress ?? 0) * 100)} %`
            : status === 'failed'
              ? 'not read'
              : status === 'waiting'
                ? 'waits to be read'
                : Number.isNaN(inTune)
                  ? used
                  : `${Math.round(100 * inTune)} % in tune`}
        </span>
        <span className="mt-1 flex gap-1">
          <button
            className="pill"
            aria-pressed={playing}
            onClick={() => void audition(track.id, take.id, phrases[0].start - HEAR_BEFORE, phrases.at(-1)!.end + 0.3)}
          >
            {playing ? 'stop' : 'hear'}
          </button>
          <button className="pill" onClick={() => pickAll(take.id)} title="Take the whole track from this take">
            all
          </button>
          <button
            className="pill icon"
            aria-label={`Delete ${take.name}`}
            title="Delete this take (can be undone)"
            onClick={() => removeTake(track, take)}
          >
            <X size={11} />
          </button>
        </span>
      </div>
      <div
        ref={body}
        className="relative h-[66px] touch-none select-none"
        onPointerDown={e => {
          if (e.button) return;
          drag.current = { x: at(e), now: at(e) };
        }}
        onPointerMove={e => {
          const d = drag.current;
          if (!d) return;
          d.now = at(e);
          if (Math.abs(d.now - d.x) < DRAG_FROM) return;
          body.current!.setPointerCapture(e.pointerId);
          const [a, b] = [timeOfX(columns, Math.min(d.x, d.now)), timeOfX(columns, Math.max(d.x, d.now))];
          setSpan({ from: a, to: b });
        }}
        onPointerUp={() => {
          if (dragged) pickPart(dragged.from, dragged.to, take.id);
          drag.current = null;
          setSpan(null);
        }}
        onPointerCancel={() => {
          drag.current = null;
          setSpan(null);
        }}
      >
        {phrases.slice(sight.first, sight.last).map((p, k) => {
          const i = sight.first + k;
          const c = columns[i];
          const used = share(p);
          const score = cells[i]?.cells.find(s => s.takeId === take.id);
          const selected = chosen.phrase === i && chosen.takeId === take.id;
          const mine = used > 0.5;
          return (
            <div key={p.id} className="group absolute inset-y-0" style={{ left: c.left, width: c.width }}>
              <button
                className={`size-full overflow-hidden rounded-lg border text-left ${mine ? 'border-teal bg-teal-soft' : 'border-rule bg-panel hover:border-ink-3'} ${selected ? 'outline outline-2 outline-ink' : ''}`}
                data-testid={`cell-${take.name}-${i + 1}`}
                aria-pressed={mine}
                aria-label={`${take.name}, phrase ${i + 1}${score ? `: in tune ${pct(score.tune.share)}, in time ${pct(score.time.share)}` : ': not sung'}${mine ? ', in the comp' : ''}`}
                title={score ? explained(score, cells[i].by) : undefined}
                onClick={() => {
                  if (dragged || Math.abs((drag.current?.now ?? 0) - (drag.current?.x ?? 0)) >= DRAG_FROM) return;
                  chooseCell(i, take.id);
                  if (score && !mine) pickPhrase(i, take.id);
                }}
              >
                {view?.reading && (
                  <Wave
                    view={view}
                    from={c.from - take.offsetSeconds}
                    to={c.to - take.offsetSeconds}
                    width={c.width}
                    colour={mine ? 'var(--teal)' : 'var(--ink-3)'}
                  />
                )}
                {score ? (
                  <ScoreBars tune={score.tune.share} time={score.time.share} narrow={c.width < 92} />
                ) : (
                  <span className="block px-2 text-[10.5px] text-ink-2">{view?.reading ? 'not sung' : ''}</span>
                )}
                {used > 0.02 && used < 0.98 && <Used clips={clips} takeId={take.id} column={c} />}
              </button>
              <button
                className="absolute top-1 right-1 grid size-5 place-items-center rounded-full bg-card text-ink opacity-0 shadow outline outline-rule group-hover:opacity-100 focus-visible:opacity-100"
                aria-label={`Hear phrase ${i + 1} of ${take.name}`}
                title="Hear this phrase of this take"
                onPointerDown={e => e.stopPropagation()}
                onClick={() => {
                  chooseCell(i, take.id);
                  void audition(track.id, take.id, p.start - HEAR_BEFORE, p.end + 0.2);
                }}
              >
                {playing && heard.from === p.start - HEAR_BEFORE ? <Square size={9} /> : <Play size={10} />}
              </button>
            </div>
          );
        })}
        {span && (
          <span
            data-testid="stretch"
            className="pointer-events-none absolute inset-y-0 rounded border-2 border-teal bg-teal/20"
            style={{
              left: xOfTime(columns, span.from),
              width: xOfTime(columns, span.to) - xOfTime(columns, span.from),
            }}
          />
        )}
      </div>
    </div>
  );
});

const pct = (share: number) => (Number.isNaN(share) ? 'not judged' : `${Math.round(share * 100)} %`);

/** Which part of a cell is in the comp, when it is not all of it. */
function Used({ clips, takeId, column }: { clips: ReturnType<typeof clipsOf>; takeId: string; column: Column }) {
  const scale = column.width / (column.to - column.from);
  return clips
    .filter(c => c.takeId === takeId && c.to > column.from && c.from < column.to)
    .map(c => {
      const left = Math.max(0, (c.from - column.from) * scale);
      const right = Math.min(column.width, (c.to - column.from) * scale);
      return (
        <span
          key={c.from}
          className="pointer-events-none absolute bottom-0 h-1 rounded bg-teal"
          style={{ left, width: Math.max(2, right - left) }}
        />
      );
    });
}
