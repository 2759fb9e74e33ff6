import { degreeOf, heardTake, SetTrack, type Track } from '@essim/core';
import { Eye, EyeOff, Volume2, VolumeX } from 'lucide-react';
import { phraseText } from '../field/scene';
import { roleColour } from '../field/palette';
import {
  clientOf,
  editTakeOf,
  editTrack,
  editViewOf,
  editsOf,
  keyOf,
  readAgain,
  run,
  songOf,
  toggleViewed,
  useSession,
  type SessionState,
} from '../store/session';
import { goToPhrase } from './commands';

const IN_TUNE_CENTS = 20;

/** Tracks and, below, the phrases of the edited one. */
export function SidePanel() {
  const session = useSession();
  const song = songOf(session);
  return (
    <aside
      className="flex min-h-0 flex-col overflow-auto border-r border-rule bg-panel pb-3"
      aria-label="Tracks and phrases"
    >
      <h2 className="side-title">Tracks</h2>
      <ul>
        {song?.tracks.map(t => (
          <TrackRow key={t.id} track={t} session={session} />
        ))}
      </ul>
      <PhraseList session={session} />
    </aside>
  );
}

/** Share of notes whose centre, as edited, lies within 20 cents of a step of the key. */
function inTune(session: SessionState, track: Track): number | null {
  const take = heardTake(track);
  const view = take && session.takes[take.id];
  if (!take || !view || view.status !== 'ready' || !view.notes.length) return null;
  const { key } = keyOf(session);
  const edits = track.id === session.editTrackId ? editsOf(session) : take.edits;
  const good = view.notes.filter(n => {
    const e = edits[n.key];
    const at = e?.target === undefined ? n.sung : n.sung + (e.target - n.sung) * ((e.aim ?? 100) / 100);
    const step = e?.target ?? Math.round(at);
    return Math.abs(at - step) * 100 <= IN_TUNE_CENTS && (!key || e?.target !== undefined || degreeOf(step, key) > 0);
  });
  return Math.round((good.length / view.notes.length) * 100);
}

function TrackRow({ track, session }: { track: Track; session: SessionState }) {
  const take = heardTake(track);
  const view = take && session.takes[take.id];
  const editing = track.id === session.editTrackId;
  const viewed = session.viewedTrackIds.includes(track.id);
  const share = inTune(session, track);
  const reading = view?.status === 'reading';
  const about = reading
    ? `reading ${Math.round(view.progress * 100)} %`
    : view?.status === 'failed'
      ? `not read: ${view.error}`
      : view?.status === 'stopped'
        ? 'reading stopped'
        : track.role === 'backing'
          ? 'backing'
          : share === null
            ? track.role
            : track.takes.length > 1 && editing
              ? `${share} % in tune`
              : `${track.role} · ${share} % in tune`;
  return (
    <li
      className={`group grid grid-cols-[4px_1fr_auto] items-center gap-2 px-2.5 py-1.5 ${editing ? 'bg-card outline outline-rule' : ''}`}
      data-testid={`track-${track.name}`}
    >
      <span className="h-8 rounded" style={{ background: `var(--${roleColour(track.role)})` }} aria-hidden />
      <button
        className="min-w-0 text-left"
        onClick={() => track.role !== 'backing' && editTrack(track.id)}
        disabled={track.role === 'backing'}
        aria-pressed={editing}
        title={track.role === 'backing' ? 'A backing is heard, not edited' : 'Edit this track'}
      >
        <span className={`block truncate font-semibold ${track.mute ? 'text-ink-3 line-through' : ''}`}>
          {track.name}
        </span>
        <span className="block truncate text-[11px] text-ink-2">{about}</span>
      </button>
      <span className="flex items-center gap-1">
        {reading && (
          <button className="pill" onClick={() => clientOf(take!.id)?.stopReading()}>
            stop
          </button>
        )}
        {view?.status === 'stopped' && (
          <button className="pill" onClick={() => void readAgain(take!.id)}>
            read
          </button>
        )}
        <button
          className="pill icon"
          onClick={() =>
            run(new SetTrack(track.mute ? `Hear ${track.name}` : `Mute ${track.name}`, track.id, { mute: !track.mute }))
          }
          aria-pressed={track.mute}
          aria-label={`Mute ${track.name}`}
          title={track.mute ? 'Muted' : 'Mute'}
        >
          {track.mute ? <VolumeX size={13} /> : <Volume2 size={13} />}
        </button>
        {editing && track.takes.length > 1 && (
          <select
            className="pill"
            aria-label={`Take of ${track.name}`}
            value={track.takeId}
            onChange={e => {
              const name = track.takes.find(t => t.id === e.target.value)!.name;
              run(new SetTrack(`${track.name}: ${name.toLowerCase()}`, track.id, { takeId: e.target.value }));
            }}
          >
            {track.takes.map((t, i) => (
              <option key={t.id} value={t.id} title={t.name}>
                {i + 1}
              </option>
            ))}
          </select>
        )}
        {editing ? (
          <span className="pill">edit</span>
        ) : track.role !== 'backing' ? (
          <button
            className="pill icon"
            onClick={() => toggleViewed(track.id)}
            aria-pressed={viewed}
            aria-label={`View ${track.name}`}
            title={viewed ? 'Its line is shown' : 'Show its line'}
          >
            {viewed ? <Eye size={13} /> : <EyeOff size={13} />}
          </button>
        ) : null}
      </span>
    </li>
  );
}

function PhraseList({ session }: { session: SessionState }) {
  const view = editViewOf(session);
  const take = editTakeOf(session);
  const offset = take?.offsetSeconds ?? 0;
  const edits = editsOf(session);
  const middle = (session.view.from + session.view.to) / 2 - offset;
  return (
    <>
      <h2 className="side-title">Phrases</h2>
      {view.status === 'reading' && <p className="px-3.5 text-ink-2">They appear when the take is read.</p>}
      {view.status === 'ready' && !view.phrases.length && (
        <p className="px-3.5 text-ink-2">No sung notes were found in this take.</p>
      )}
      <ol>
        {view.phrases.map((p, i) => {
          const words = phraseText(p, take?.words ?? []);
          const notes = view.notes.filter(n => n.start >= p.start && n.end <= p.end + 0.01);
          const touched = notes.filter(n => edits[n.key]?.target !== undefined).length;
          const here = middle >= p.start - 0.4 && middle < p.end + 0.4;
          return (
            <li key={p.start}>
              <button
                className={`flex w-full items-center gap-2 px-3 py-[5px] text-left ${here ? 'bg-teal-soft text-ink' : 'text-ink-2 hover:bg-rule-soft'}`}
                onClick={() => goToPhrase(i)}
                aria-current={here || undefined}
              >
                <b className="w-4 font-semibold text-ink-2">{i + 1}</b>
                <span className="flex-1 truncate">{words || `${notes.length} notes`}</span>
                <span
                  className="text-[11px] text-ink-2 tabular-nums"
                  title={`${touched} of ${notes.length} notes have a target`}
                >
                  {touched ? `${touched}/${notes.length}` : ''}
                </span>
              </button>
            </li>
          );
        })}
      </ol>
    </>
  );
}
