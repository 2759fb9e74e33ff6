import { counted, noteName, type Track } from '@essim/core';
import { useEffect, useState } from 'react';
import {
  forgetUnpicked,
  guideByLine,
  lineName,
  lineOf,
  linesOf,
  singLine,
  stopUnpicking,
  unpickedAsMidi,
  unpickTrack,
  useUnpicked,
} from '../../commands/unpicking';
import { editTrackOf, keyOf, songOf, trackOf, useParts } from '../../open-song';
import { Progress } from '../../shell/Progress';
import { usePalette } from '../../shell/theme';
import { lineColour } from './unpicked';

/** A recorded chord taken apart, and its lines made parts, guides or MIDI. */
export function FromUnpick({ lead, ready }: { lead: Track; ready: boolean }) {
  const session = useParts('history', 'editTrackId', 'backing', 'views');
  const palette = usePalette();
  const { found, running } = useUnpicked();
  const tracks = songOf(session)!.tracks.filter(t => t.segments.length && !t.part);
  const [id, setId] = useState(() => (tracks.find(t => t.role === 'backing') ?? editTrackOf(session) ?? lead).id);
  const [voices, setVoices] = useState(0);
  const chosen = trackOf(session, id);
  const { key } = keyOf(session);
  const there = found && trackOf(session, found.trackId) ? found : null;
  // what was found of another song is no longer of use
  useEffect(() => {
    if (found && !there) forgetUnpicked();
  }, [found, there]);
  const select = 'min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5';
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        A recording of several voices at once is taken apart; a click in the field takes a note out or in.
      </p>
      <div className="mb-1.5 flex gap-1.5">
        <select className={select} aria-label="Recording" value={id} onChange={e => setId(e.target.value)}>
          {tracks.map(t => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </select>
        <select
          className={select}
          aria-label="How many sing"
          value={voices}
          onChange={e => setVoices(Number(e.target.value))}
        >
          <option value={0}>as many as heard</option>
          {[1, 2, 3, 4].map(n => (
            <option key={n} value={n}>
              {counted(n, 'voice')}
            </option>
          ))}
        </select>
      </div>
      {running ? (
        <Progress title={`Unpicking ${running.name}`} share={running.share} onStop={stopUnpicking} />
      ) : (
        <button
          className="btn btn-ink w-full"
          disabled={!chosen}
          onClick={() => void unpickTrack(chosen!, voices || null)}
        >
          {there?.trackId === id ? 'Unpick again' : 'Unpick'}
        </button>
      )}
      {there && (
        <ul className="mt-2 flex flex-col gap-1.5" aria-label="Lines">
          {linesOf(there).map(line => {
            const notes = lineOf(there, line);
            const pitches = notes.map(n => n.midi);
            return (
              <li key={line} className="card py-2" style={{ borderLeft: `4px solid ${palette[lineColour(line)]}` }}>
                <p className="flex justify-between gap-2">
                  <b>{lineName(there, line)}</b>
                  <span className="text-ink-2">
                    {counted(notes.length, 'note')}
                    {notes.length > 0 &&
                      `, ${noteName(Math.min(...pitches), key)} to ${noteName(Math.max(...pitches), key)}`}
                  </span>
                </p>
                <div className="mt-1 flex gap-1.5">
                  <button
                    className="pill"
                    disabled={!ready || !notes.length}
                    title={`A part that sings it on the words of ${lead.name}`}
                    onClick={() => singLine(there, line, lead)}
                  >
                    Make a part
                  </button>
                  <button
                    className="pill"
                    disabled={!notes.length || !editTrackOf(session)}
                    title={`What ${editTrackOf(session)?.name ?? 'the track'} is meant to sing`}
                    onClick={() => guideByLine(there, line, editTrackOf(session)!)}
                  >
                    Guide of {editTrackOf(session)?.name ?? 'the track'}
                  </button>
                </div>
              </li>
            );
          })}
          <button className="btn" onClick={() => unpickedAsMidi(there)}>
            All lines as MIDI
          </button>
        </ul>
      )}
    </>
  );
}
