import { clipsOf, movePhraseBorder, type Phrase, type Take, type Track } from '@essim/core';
import { Play, Square, X } from 'lucide-react';
import { memo, useMemo, useRef, useState, type PointerEvent } from 'react';
import { useDropzone } from 'react-dropzone';
import { trackColour } from '../../field/palette';
import { phraseText } from '../../field/scene';
import { TextInput } from '../../shell/inputs';
import { beginImport } from '../../store/importing';
import { newId } from '../../store/ids';
import { audition, seek, useSession } from '../../store/session';
import type { TakeView, TrackView } from '../../store/track-view';
import { setPhrases } from '../../store/track-edits';
import { columnsOf, explained, timeOfX, xOfTime, type Column, type PhraseCells } from './cells';
import { ChordRow } from './ChordRow';
import { dragJoin, pickAll, pickPart, pickPhrase, removeTake, renameTake } from './edits';
import { chooseCell, useGather } from './state';

const NAMES_WIDTH = 96;
const DRAG_FROM = 5;
const HEAR_BEFORE = 0.25;

interface LanesProps {
  track: Track;
  view: TrackView;
  cells: readonly PhraseCells[];
  room: number;
}

/** Takes above each other with phrases as cells, and the comp under them. */
export function TakeLanes({ track, view, cells, room }: LanesProps) {
  const { phrases } = view;
  const columns = useMemo(() => columnsOf(phrases, room - NAMES_WIDTH - 8), [phrases, room]);
  const width = (columns.at(-1)?.left ?? 0) + (columns.at(-1)?.width ?? 0);
  const reading = track.takes.some(t => useSession.getState().takes[t.id]?.status === 'reading');
  if (!phrases.length)
    return (
      <p className="card mt-3 text-ink-2">
        {reading || view.status === 'waiting' || view.status === 'reading'
          ? 'The takes are being read; their phrases appear here.'
          : 'No sung phrase was found in these takes.'}
      </p>
    );
  return (
    <div className="mt-3 overflow-x-auto pb-1" data-testid="lanes">
      <div className="space-y-2" style={{ width: NAMES_WIDTH + 8 + width }}>
        <PhraseHeads phrases={phrases} columns={columns} view={view} />
        <ChordRow columns={columns} namesWidth={NAMES_WIDTH} />
        {track.takes.map(take => (
          <TakeLane key={take.id} track={track} take={take} phrases={phrases} columns={columns} cells={cells} />
        ))}
        {track.takes.length > 0 && <CompLane track={track} view={view} columns={columns} />}
      </div>
    </div>
  );
}

const lane = 'grid items-stretch gap-2';
const laneStyle = { gridTemplateColumns: `${NAMES_WIDTH}px 1fr` };

/** Numbers and words of the phrases; their borders can be dragged. */
function PhraseHeads({ phrases, columns, view }: { phrases: Phrase[]; columns: Column[]; view: TrackView }) {
  const chosen = useGather(s => s.phrase);
  const drag = useRef<{ index: number; side: 'start' | 'end'; x: number; from: number; gesture: string } | null>(null);
  const grab = (e: PointerEvent, index: number, side: 'start' | 'end') => {
    e.currentTarget.setPointerCapture(e.pointerId);
    e.stopPropagation();
    drag.current = { index, side, x: e.clientX, from: phrases[index][side], gesture: `border ${newId()}` };
  };
  const move = (e: PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const c = columns[d.index];
    const to = d.from + ((e.clientX - d.x) / c.width) * (c.to - c.from);
    setPhrases('Move a phrase border', list => movePhraseBorder(list, d.index, d.side, to), d.gesture);
  };
  return (
    <div className={lane} style={laneStyle}>
      <span />
      <div className="relative h-6">
        {phrases.map((p, i) => (
          <div key={p.id} className="absolute top-0 h-6" style={{ left: columns[i].left, width: columns[i].width }}>
            <button
              className={`size-full truncate rounded-md px-2 text-left text-[11.5px] font-semibold ${i === chosen ? 'bg-teal-soft text-teal-deep' : 'text-ink-2 hover:bg-rule-soft'}`}
              onClick={() => {
                chooseCell(i, useGather.getState().takeId);
                seek(Math.max(0, p.start - HEAR_BEFORE));
              }}
              title={p.name || phraseText(p, view.words)}
            >
              {i + 1} {p.name || phraseText(p, view.words)}
            </button>
            {(['start', 'end'] as const).map(side => (
              <span
                key={side}
                className={`absolute inset-y-0 w-[7px] cursor-ew-resize rounded hover:bg-teal ${side === 'start' ? '-left-0.5' : '-right-0.5'}`}
                role="separator"
                aria-label={`${side === 'start' ? 'Start' : 'End'} of phrase ${i + 1}`}
                data-testid={`border-${i}-${side}`}
                onPointerDown={e => grab(e, i, side)}
                onPointerMove={move}
                onPointerUp={() => (drag.current = null)}
                onPointerCancel={() => (drag.current = null)}
              />
            ))}
          </div>
        ))}
      </div>
    </div>
  );
}

/** Bars of a take's loudness over a span of its own time. */
const Wave = memo(function Wave({
  view,
  from,
  to,
  width,
  colour,
}: {
  view: TakeView;
  from: number;
  to: number;
  width: number;
  colour: string;
}) {
  const levels = view.reading?.levelDb;
  if (!levels) return null;
  let loudest = -120;
  for (let k = 0; k < levels.length; k++) loudest = Math.max(loudest, levels[k]);
  const count = Math.max(8, Math.floor((width - 14) / 3.2));
  let path = '';
  for (let i = 0; i < count; i++) {
    const a = Math.floor((from + ((to - from) * i) / count) * 200);
    const b = Math.max(a + 1, Math.floor((from + ((to - from) * (i + 1)) / count) * 200));
    let loud = -120;
    for (let k = Math.max(0, a); k < Math.min(levels.length, b); k++) loud = Math.max(loud, levels[k]);
    const h = Math.max(0.6, Math.min(17, 17 * 10 ** ((loud - loudest) / 32)));
    const x = (7 + (i * (width - 14)) / count).toFixed(1);
    path += `M${x} ${(19 - h).toFixed(1)}V${(19 + h).toFixed(1)}`;
  }
  return (
    <svg width={width} height={38} className="pointer-events-none block" aria-hidden>
      <path d={path} stroke={colour} strokeWidth={1.6} strokeLinecap="round" />
    </svg>
  );
});

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
}

function TakeLane({ track, take, phrases, columns, cells }: TakeLaneProps) {
  const view = useSession(s => s.takes[take.id]);
  const heard = useSession(s => s.audition);
  const chosen = useGather();
  const body = useRef<HTMLDivElement>(null);
  const drag = useRef<{ x: number; now: number } | null>(null);
  const [span, setSpan] = useState<{ from: number; to: number } | null>(null);
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
  return (
    <div className={lane} style={laneStyle} data-testid={`take-${take.name}`}>
      <div {...getRootProps()} role={undefined} className={`min-w-0 rounded-lg ${isDragActive ? 'bg-teal-soft' : ''}`}>
        <input {...getInputProps()} aria-label={`Sound files for ${track.name}`} data-testid="take-files" />
        <TakeName track={track} take={take} />
        <span className="block truncate text-[11px] text-ink-2">
          {status === 'reading'
            ? `reading ${Math.round((view?.progress ?? 0) * 100)} %`
            : status === 'failed'
              ? 'not read'
              : status === 'waiting'
                ? 'waits to be read'
                : whole
                  ? 'heard throughout'
                  : `${Math.round((100 * phrases.filter(p => share(p) > 0.5).length) / phrases.length)} % of the comp`}
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
          if (span) pickPart(span.from, span.to, take.id);
          drag.current = null;
          setSpan(null);
        }}
        onPointerCancel={() => {
          drag.current = null;
          setSpan(null);
        }}
      >
        {phrases.map((p, i) => {
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
                title={score ? explained(score, cells[i].grid) : undefined}
                onClick={() => {
                  if (span || Math.abs((drag.current?.now ?? 0) - (drag.current?.x ?? 0)) >= DRAG_FROM) return;
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
}

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

function TakeName({ track, take }: { track: Track; take: Take }) {
  const [editing, setEditing] = useState(false);
  if (!editing)
    return (
      <button
        className="block w-full truncate text-left font-semibold"
        title={`${take.name}: double-click to rename`}
        onDoubleClick={() => setEditing(true)}
        onKeyDown={e => e.key === 'F2' && setEditing(true)}
      >
        {take.name}
      </button>
    );
  return (
    <TextInput
      className="w-full rounded border border-rule bg-card px-1 font-semibold"
      label="Name of the take"
      value={take.name}
      autoFocus
      onSet={name => renameTake(track, take, name)}
      onLeave={() => setEditing(false)}
    />
  );
}

/** The comp as it is heard, with its joins to drag. */
function CompLane({ track, view, columns }: { track: Track; view: TrackView; columns: Column[] }) {
  const takes = useSession(s => s.takes);
  const body = useRef<HTMLDivElement>(null);
  const [gesture, setGesture] = useState('');
  const clips = clipsOf(track);
  const colour = `var(--${trackColour(track)})`;
  return (
    <div className={lane} style={laneStyle} data-testid="comp">
      <div className="min-w-0">
        <b className="block truncate font-semibold">{track.name}</b>
        <span className="block text-[11px] text-ink-2">as chosen</span>
      </div>
      <div ref={body} className="relative h-[62px] touch-none">
        {view.phrases.map((p, i) => {
          const c = columns[i];
          const inside = clips.filter(q => q.to > p.start && q.from < p.end);
          const names = [...new Set(inside.map(q => track.takes.find(t => t.id === q.takeId)?.name ?? ''))];
          return (
            <button
              key={p.id}
              className="absolute inset-y-0 overflow-hidden rounded-lg border border-teal bg-card text-left"
              style={{ left: c.left, width: c.width }}
              data-testid={`comp-${i + 1}`}
              onClick={() => {
                chooseCell(i, null);
                seek(Math.max(0, p.start - HEAR_BEFORE));
              }}
              title={`Phrase ${i + 1}: ${names.join(', ')}`}
            >
              <CompWave clips={clips} takes={takes} column={c} colour={colour} />
              <span className="block truncate px-2 text-[11px] text-ink-2">{names.join(' + ')}</span>
            </button>
          );
        })}
        {track.segments.slice(1).map((g, k) => {
          const index = k + 1;
          const x = xOfTime(columns, g.at);
          return (
            <span
              key={index}
              role="slider"
              tabIndex={0}
              aria-label={`Join ${index}`}
              aria-valuenow={Math.round(g.at * 1000) / 1000}
              aria-valuetext={`${g.at.toFixed(2)} s`}
              data-testid={`join-${index}`}
              title="Drag the join; arrow keys move it by 10 ms"
              className="absolute inset-y-0 -ml-[5px] flex w-[10px] cursor-ew-resize justify-center"
              style={{ left: x }}
              onPointerDown={e => {
                e.currentTarget.setPointerCapture(e.pointerId);
                setGesture(`join ${newId()}`);
              }}
              onPointerMove={e => {
                if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
                const to = timeOfX(columns, e.clientX - body.current!.getBoundingClientRect().left);
                dragJoin(track, index, to, gesture);
              }}
              onKeyDown={e => {
                if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return;
                e.stopPropagation();
                e.preventDefault();
                dragJoin(track, index, g.at + (e.key === 'ArrowLeft' ? -0.01 : 0.01), `join keys ${index}`);
              }}
            >
              <span className="h-full w-[3px] rounded bg-ink" />
            </span>
          );
        })}
      </div>
    </div>
  );
}

function CompWave({
  clips,
  takes,
  column,
  colour,
}: {
  clips: ReturnType<typeof clipsOf>;
  takes: Record<string, TakeView>;
  column: Column;
  colour: string;
}) {
  const scale = column.width / (column.to - column.from);
  return (
    <span className="relative block h-[38px]">
      {clips
        .filter(c => c.to > column.from && c.from < column.to && takes[c.takeId]?.reading)
        .map(c => {
          const from = Math.max(c.from, column.from);
          const to = Math.min(c.to, column.to);
          return (
            <span key={c.from} className="absolute top-0" style={{ left: (from - column.from) * scale }}>
              <Wave
                view={takes[c.takeId]}
                from={from - c.shift}
                to={to - c.shift}
                width={Math.max(15, (to - from) * scale)}
                colour={colour}
              />
            </span>
          );
        })}
    </span>
  );
}
