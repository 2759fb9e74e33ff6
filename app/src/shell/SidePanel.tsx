import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import {
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { degreeIn, nearestStep, pitchNow, stepMeant, type Track, type TrackView } from '@essim/core';
import { Eye, EyeOff, Plus, Volume2, VolumeX } from 'lucide-react';
import { memo } from 'react';
import { useDropzone } from 'react-dropzone';
import { useShallow } from 'zustand/react/shallow';
import { trackColour, type Palette } from '../field/palette';
import {
  editTrack,
  keyAt,
  rankedKeys,
  readAgain,
  scaleAtOf,
  songOf,
  stopReading,
  toggleViewed,
  trackOf,
  useBeside,
  useSession,
  viewOf,
  type SessionState,
} from '../open-song';
import { beginImport } from '../exchange/importing';
import { addEmptyTrack, moveTrack, setMix } from '../commands/tracks';
import { PhraseList } from './PhraseList';
import { TrackMeter } from './meters';
import { TrackSettings } from './TrackSettings';

const IN_TUNE_CENTS = 20;

/** Tracks and, below, the phrases of the edited one. */
export const SidePanel = memo(function SidePanel() {
  const ids = useSession(useShallow(s => songOf(s)?.tracks.map(t => t.id) ?? []));
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  return (
    <aside className="flex min-h-0 flex-col border-r border-rule bg-panel pb-3" aria-label="Tracks and phrases">
      <h2 className="side-title flex items-center justify-between">
        Tracks
        <button
          className="pill icon"
          aria-label="Add an empty track"
          title="Add an empty track, to record or bring takes into"
          onClick={addEmptyTrack}
        >
          <Plus size={11} />
        </button>
      </h2>
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={({ active, over }) => {
          if (over && active.id !== over.id) moveTrack(String(active.id), ids.indexOf(String(over.id)));
        }}
      >
        <SortableContext items={ids} strategy={verticalListSortingStrategy}>
          <ul className="max-h-[46%] shrink-0 overflow-auto">
            {ids.map((id, i) => (
              <TrackRow key={id} id={id} index={i} />
            ))}
          </ul>
        </SortableContext>
      </DndContext>
      <PhraseList />
    </aside>
  );
});

const shares = new WeakMap<TrackView, { of: unknown[]; share: number | null }>();
/** Share of notes whose centre, as edited, lies within 20 cents of a step of the key; kept until one of these changes. */
function inTune(session: SessionState, track: Track): number | null {
  const view = viewOf(session, track.id);
  const song = songOf(session);
  const of = [song?.key ?? rankedKeys(session), song?.keyChanges, song?.tempo, song?.referenceHz, song?.tuning];
  const kept = shares.get(view);
  if (kept && of.every((v, i) => v === kept.of[i])) return kept.share;
  const share = shareInTune(session, track, view);
  shares.set(view, { of, share });
  return share;
}

function shareInTune(session: SessionState, track: Track, view: TrackView): number | null {
  if (view.status !== 'ready' || !view.notes.length) return null;
  const scaleAt = scaleAtOf(session);
  const good = view.notes.filter(n => {
    const e = view.edits[n.key];
    // tuned as a whole a note has no edit that tells where it is
    const at = track.whole.length
      ? (pitchNow(view, n) ?? n.sung)
      : e?.target === undefined
        ? n.sung
        : n.sung + (e.target - n.sung) * ((e.aim ?? 100) / 100);
    const scale = scaleAt(n.start);
    const step = e?.target === undefined ? nearestStep(scale, at * 100) / 100 : stepMeant(scale, e.target);
    const key = keyAt(session, n.start);
    return Math.abs(at - step) * 100 <= IN_TUNE_CENTS && (!key || e?.target !== undefined || degreeIn(scale, step) > 0);
  });
  return Math.round((good.length / view.notes.length) * 100);
}

function about(session: SessionState, track: Track): string {
  const view = viewOf(session, track.id);
  if (track.role === 'backing') return track.takes.length ? 'backing' : 'backing, no recording yet';
  if (!track.takes.length) return `${track.role}, no takes yet`;
  if (view.status === 'reading' || view.partial) return `reading ${Math.round(view.progress * 100)} %`;
  if (view.status === 'failed') return `not read: ${view.error}`;
  if (view.status === 'stopped') return 'reading stopped';
  if (view.status === 'waiting' && track.segments.length) return 'waits to be read';
  const share = inTune(session, track);
  const lead = track.followsId && trackOf(session, track.followsId);
  const first = lead
    ? `follows ${lead.name}`
    : track.takes.length > 1
      ? `${new Set(track.segments.map(g => g.takeId)).size} of ${track.takes.length} takes`
      : track.role;
  if (track.id === session.editTrackId)
    return share === null ? `editing · ${first}` : `editing · ${first} · ${share} %`;
  return share === null ? first : `${first} · ${share} % in tune`;
}

/** What the rows show of a track: the same while its notes are dragged. */
interface Shown {
  name: string;
  colour: keyof Palette;
  backing: boolean;
  mute: boolean;
  text: string;
  stalled: string | undefined;
  reading: string | undefined;
}

function shownOf(s: SessionState, track: Track): Shown {
  const status = (takeId: string) => s.takes[takeId]?.status ?? '';
  return {
    name: track.name,
    colour: trackColour(track),
    backing: track.role === 'backing',
    mute: track.mute,
    text: about(s, track),
    stalled: track.takes.find(t => ['stopped', 'failed'].includes(status(t.id)))?.id,
    reading: track.takes.find(t => status(t.id) === 'reading' || s.takes[t.id]?.readUntil !== undefined)?.id,
  };
}

const TrackRow = memo(function TrackRow({ id, index }: { id: string; index: number }) {
  const shown = useBeside(
    useShallow(s => {
      const track = trackOf(s, id);
      return track ? shownOf(s, track) : null;
    }),
  );
  return shown && <ShownTrack id={id} index={index} {...shown} />;
});

function ShownTrack({
  id,
  index,
  name,
  colour,
  backing,
  mute,
  text,
  stalled,
  reading,
}: Shown & { id: string; index: number }) {
  const editing = useSession(s => id === s.editTrackId);
  const viewed = useSession(s => s.viewedTrackIds.includes(id));
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id });
  const { getRootProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    noDragEventsBubbling: true,
    onDrop: files => void beginImport(files, { kind: 'takes', trackId: id }),
  });
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Transform.toString(transform), transition }}
      className={`group grid grid-cols-[4px_1fr] items-center gap-2 px-2.5 py-1.5 ${editing ? 'bg-card outline outline-rule' : ''} ${isDragging ? 'relative z-10 shadow-lg' : ''}`}
      data-testid={`track-${name}`}
    >
      <span
        className="cursor-grab"
        {...attributes}
        {...listeners}
        aria-label={`Move ${name}`}
        title="Drag to move the track; while the song plays its level"
      >
        <TrackMeter index={index} colour={colour} className="h-8 w-1" />
      </span>
      <div
        {...getRootProps()}
        role={undefined}
        tabIndex={undefined}
        className={`relative min-w-0 ${isDragActive ? 'rounded outline-2 outline-teal' : ''}`}
      >
        <button
          className="block w-full min-w-0 text-left"
          onClick={() => editTrack(id)}
          aria-pressed={editing}
          title={backing ? 'Choose this backing' : 'Edit this track'}
        >
          <span className={`block truncate pr-20 font-semibold ${mute ? 'text-ink-3 line-through' : ''}`}>{name}</span>
          <span className="mt-[3px] block truncate text-[11px] leading-tight text-ink-2" title={text}>
            {text}
          </span>
        </button>
        <span className="absolute -top-1 right-0 flex items-center gap-1">
          {reading && (
            <button className="pill" onClick={() => stopReading(reading)}>
              stop
            </button>
          )}
          {stalled && !reading && (
            <button className="pill" onClick={() => readAgain(stalled)}>
              read
            </button>
          )}
          <button
            className="pill icon"
            onClick={() => setMix(trackOf(useSession.getState(), id)!, { mute: !mute })}
            aria-pressed={mute}
            aria-label={`Mute ${name}`}
            title={mute ? 'Muted' : 'Mute'}
          >
            {mute ? <VolumeX size={13} /> : <Volume2 size={13} />}
          </button>
          {!editing && !backing && (
            <button
              className="pill icon"
              onClick={() => toggleViewed(id)}
              aria-pressed={viewed}
              aria-label={`View ${name}`}
              title={viewed ? 'Its line is shown' : 'Show its line'}
            >
              {viewed ? <Eye size={13} /> : <EyeOff size={13} />}
            </button>
          )}
          <TrackSettings id={id} name={name} />
        </span>
      </div>
    </li>
  );
}
