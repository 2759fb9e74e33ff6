import { useEffect, useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { Mic, Wand2 } from 'lucide-react';
import { beginImport } from '../../exchange/importing';
import { editTrackOf, editViewOf, useSession } from '../../open-song';
import { isUnread } from '@essim/core';
import { cellsOf } from './cells';
import { suggest } from './edits';
import { RecordBar } from './RecordBar';
import { SetUp } from './setup/SetUp';
import { chooseCell, useGather } from './state';
import { TakeLanes } from './lanes/TakeLanes';
import { WordsDialog } from './WordsDialog';

/** The Gather desk's middle: takes above each other with phrases as cells, the comp below them, and the song's set-up. */
export function GatherDesk() {
  const track = useSession(editTrackOf);
  const view = useSession(editViewOf);
  const { recordOpen, wordsOpen } = useGather();
  const cells = useSession(cellsOf);
  const host = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(600);
  useEffect(() => {
    const observer = new ResizeObserver(([e]) => setRoom(e.contentRect.width));
    if (host.current) observer.observe(host.current);
    return () => observer.disconnect();
  }, []);
  const goneTo = useSession(s => s.goneTo);
  useEffect(() => {
    if (goneTo) chooseCell(goneTo.phrase, useGather.getState().takeId);
  }, [goneTo]);
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: files => void beginImport(files, { kind: 'tracks' }),
  });
  const vocal = track && track.role !== 'backing';
  const unread = useSession(s => !!track?.takes.some(t => isUnread(s.takes[t.id])));
  return (
    <div {...getRootProps()} role={undefined} className="absolute inset-0 overflow-auto bg-paper px-4 pt-3.5 pb-6">
      <input {...getInputProps()} aria-label="Sound files for new tracks" data-testid="track-files" />
      <div ref={host}>
        <div className="flex flex-wrap items-center gap-2">
          <h1 className="text-[17px] font-semibold tracking-tight">
            {vocal ? `Takes for ${track.name}` : (track?.name ?? 'No track yet')}
          </h1>
          {vocal && track.takes.length > 1 && (
            <span className="text-[12px] text-ink-2 max-[1100px]:hidden">teal in tune, grey in time</span>
          )}
          <span className="flex-1" />
          <button className="btn" onClick={open} data-testid="add-files">
            Add files
          </button>
          {vocal && (
            <>
              <button className="btn" onClick={() => useGather.setState({ wordsOpen: true })}>
                Words
              </button>
              <button
                className="btn"
                onClick={() => suggest(cells)}
                disabled={track.takes.length < 2 || !cells.length || unread}
                title={unread ? 'When every take is read to its end' : 'The best take of each phrase, with few joins'}
              >
                <Wand2 size={13} aria-hidden /> Suggest a comp
              </button>
              <button
                className={`btn ${recordOpen ? 'btn-on' : 'btn-ink'}`}
                onClick={() => useGather.setState({ recordOpen: !recordOpen })}
                aria-expanded={recordOpen}
              >
                <Mic size={13} aria-hidden /> Record <kbd>R</kbd>
              </button>
            </>
          )}
        </div>
        {vocal && recordOpen && <RecordBar track={track} />}
        {vocal ? (
          track.takes.length ? (
            <TakeLanes track={track} view={view} cells={cells} room={room} />
          ) : (
            <p className="card mt-3 text-ink-2">
              No takes yet. Drop files on this desk, or record one: the microphone or its simulation, with R.
              {track.guide &&
                ` It is to sing ${track.guide.name}: heard in the headphones, and what every take is judged by.`}
            </p>
          )
        ) : (
          <p className="card mt-3 text-ink-2">
            A backing is heard, not comped. Its tempo, chords and tuning help to set the song up below. Choose a voice
            on the left to see its takes.
          </p>
        )}
        <SetUp />
      </div>
      {isDragActive && (
        <div className="pointer-events-none absolute inset-3 z-20 grid place-items-center rounded-2xl border-2 border-dashed border-teal bg-teal-soft/80 text-lg font-semibold text-teal-deep">
          Drop to add tracks; on a take’s name, to add takes
        </div>
      )}
      {wordsOpen && <WordsDialog />}
    </div>
  );
}
