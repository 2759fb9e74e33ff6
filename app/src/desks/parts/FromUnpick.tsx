import { counted, noteName, type Track } from '@essim/core';
import { useEffect, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import {
  compassesOf,
  forgetUnpicked,
  hearLine,
  joinUnpicked,
  lineName,
  lineOf,
  linesOf,
  nudgeUnpicked,
  partUnpicked,
  setCompass,
  singBy,
  stepUnpicked,
  stopUnpicking,
  takeBackUnpicked,
  toggleNote,
  unpickTrack,
  useUnpicked,
  type Unpicked,
} from '../../commands/unpicking';
import { guideByLine, singLine, trackToSing, unpickedAsMidi } from '../../commands/unpicked-lines';
import { editTrackOf, keyOf, songOf, trackOf, useParts } from '../../open-song';
import { Progress } from '../../shell/Progress';
import { usePalette } from '../../shell/theme';
import { CompassField } from './CompassField';
import { lineColour } from './unpicked';

/** A recorded chord taken apart, and its lines made parts, guides or MIDI. */
export function FromUnpick({ lead, ready }: { lead: Track; ready: boolean }) {
  const session = useParts('history', 'editTrackId', 'backing', 'views');
  const { found, running } = useUnpicked();
  const tracks = songOf(session)!.tracks.filter(t => t.segments.length && !t.part);
  // a chord to learn from is as a rule not heard in the song
  const backing = tracks.filter(t => t.role === 'backing').sort((a, b) => Number(b.mute) - Number(a.mute));
  const [id, setId] = useState(() =>
    found?.trackId ? found.trackId : (backing[0] ?? editTrackOf(session) ?? lead).id,
  );
  const [voices, setVoices] = useState(0);
  const chosen = trackOf(session, id);
  const there = found && trackOf(session, found.trackId) ? found : null;
  // what was found of another song is no longer of use
  useEffect(() => {
    if (found && !there) forgetUnpicked();
  }, [found, there]);
  const select = 'min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5';
  return (
    <>
      <p className="mb-1.5 text-ink-2">
        A recording of several voices at once is taken apart. A click takes a note out or in; with Alt it is cut there,
        with Shift joined with the next; with Ctrl one is added. Ends and bodies are dragged.
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
      {there && <Lines found={there} lead={lead} ready={ready} />}
    </>
  );
}

function Lines({ found, lead, ready }: { found: Unpicked; lead: Track; ready: boolean }) {
  const { songId } = useParams();
  const navigate = useNavigate();
  const session = useParts('history', 'editTrackId', 'backing', 'views');
  const palette = usePalette();
  const { before, heard } = useUnpicked();
  const { key } = keyOf(session);
  const onto = editTrackOf(session);
  const compasses = compassesOf(found);
  return (
    <>
      <ul className="mt-2 flex flex-col gap-1.5" aria-label="Lines">
        {linesOf(found).map((line, i) => {
          const name = lineName(found, line);
          const notes = lineOf(found, line);
          return (
            <li key={line} className="card py-2" style={{ borderLeft: `4px solid ${palette[lineColour(line)]}` }}>
              <p className="flex items-baseline justify-between gap-2">
                <b>{name}</b>
                <span className="text-ink-2">{counted(notes.length, 'note')}</span>
              </p>
              {compasses[i] && (
                <p className="text-[12px] text-ink-2">
                  sings{' '}
                  <CompassField
                    name={name}
                    compass={compasses[i]}
                    tonic={key}
                    onChange={bounds => setCompass(i, bounds, false)}
                  />
                  {found.compasses ? '' : ', as heard'}
                </p>
              )}
              <div className="mt-1 flex flex-wrap gap-1.5">
                <button
                  className="pill"
                  aria-pressed={heard.has(line)}
                  title="Heard as tones while the song runs"
                  onClick={() => hearLine(line)}
                >
                  Tones
                </button>
                <button
                  className="pill"
                  disabled={!ready || !notes.length}
                  title={`A part that sings it on the words of ${lead.name}`}
                  onClick={() => singLine(found, line, lead)}
                >
                  Make a part
                </button>
                <button
                  className="pill"
                  disabled={!notes.length}
                  title="A track to record into at Gather: the line in the headphones, and every take judged by it"
                  onClick={() => {
                    if (trackToSing(found, line)) void navigate(`/song/${songId}/gather`);
                  }}
                >
                  Sing it
                </button>
                {onto && !onto.part && onto.role !== 'backing' && (
                  <button
                    className="pill"
                    disabled={!notes.length}
                    title={`What ${onto.name} is meant to sing`}
                    onClick={() => guideByLine(found, line, onto)}
                  >
                    Guide of {onto.name}
                  </button>
                )}
              </div>
            </li>
          );
        })}
      </ul>
      <UnderHand found={found} />
      <div className="mt-1.5 flex gap-1.5">
        <button className="btn flex-1" onClick={() => unpickedAsMidi(found)}>
          All lines as MIDI
        </button>
        <button className="btn" disabled={!before.length} onClick={takeBackUnpicked}>
          Take back
        </button>
      </div>
    </>
  );
}

const WHAT = {
  taken: 'taken',
  played: 'left out: it stands still as a played note does',
  weak: 'left out: weaker than the others',
};
/** How far keys and buttons move a note, s. */
const NUDGE = 0.02;

/** The note that was clicked or stepped to, and what can be done with it. */
function UnderHand({ found }: { found: Unpicked }) {
  const { chosen } = useUnpicked();
  const session = useParts('history', 'backing', 'views', 'editTrackId');
  const { key } = keyOf(session);
  const note = chosen === null ? null : found.notes[chosen];
  return (
    <section className="card mt-1.5 py-2" aria-label="Unpicked note">
      <div className="flex items-center justify-between gap-2">
        <p>
          {note ? (
            <>
              <b>{noteName(Math.round(note.midi), key)}</b>{' '}
              <span className="text-ink-2 tabular-nums">
                {note.start.toFixed(2)} to {note.end.toFixed(2)} s
              </span>
            </>
          ) : (
            <span className="text-ink-2">Click a note, or step through them</span>
          )}
        </p>
        <span className="flex gap-1">
          <button className="pill" aria-label="Note before" onClick={() => stepUnpicked(-1)}>
            ‹
          </button>
          <button className="pill" aria-label="Next note" onClick={() => stepUnpicked(1)}>
            ›
          </button>
        </span>
      </div>
      {note && chosen !== null && (
        <>
          <p className="text-[12px] text-ink-2">
            {lineName(found, note.line)}, {WHAT[note.is]}
          </p>
          <div className="mt-1 flex flex-wrap gap-1.5">
            <button className="pill" onClick={() => toggleNote(chosen)}>
              {note.is === 'taken' ? 'Take out' : 'Take in'}
            </button>
            <button
              className="pill"
              title="Alt and a click cuts where it is clicked"
              onClick={() => partUnpicked(chosen, (note.start + note.end) / 2)}
            >
              Cut
            </button>
            <button className="pill" title="Shift and a click" onClick={() => joinUnpicked(chosen)}>
              Join
            </button>
            <button className="pill" aria-label="Earlier" onClick={() => nudgeUnpicked(chosen, -NUDGE)}>
              −20 ms
            </button>
            <button className="pill" aria-label="Later" onClick={() => nudgeUnpicked(chosen, NUDGE)}>
              +20 ms
            </button>
            {linesOf(found)
              .filter(line => line !== note.line)
              .map(line => (
                <button key={line} className="pill" onClick={() => singBy(chosen, line)}>
                  {lineName(found, line)}
                </button>
              ))}
          </div>
        </>
      )}
    </section>
  );
}
