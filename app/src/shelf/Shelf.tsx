import { heardTake, ROLES, type Role, type Song } from '@essim/core';
import {
  Dialog,
  DialogBackdrop,
  DialogPanel,
  DialogTitle,
  Menu,
  MenuButton,
  MenuItem,
  MenuItems,
} from '@headlessui/react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ellipsis, Upload } from 'lucide-react';
import { useEffect, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { Mark } from '../shell/Mark';
import { toggleTheme } from '../shell/theme';
import { DEMO_ID, openDemo } from '../store/demo';
import { guessRole, importSong, plainName, type IncomingFile } from '../store/importing';
import { closeSong } from '../store/session';
import { listSongs, putBack, renameSong, setAside } from '../store/songs';
import type { SongRow } from '../store/db';
import { Miniature } from './Miniature';

/** The song shelf: songs as cards, the demo song, and where files are dropped to make a new one. */
export function Shelf() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const songs = useQuery({ queryKey: ['songs'], queryFn: listSongs });
  const [incoming, setIncoming] = useState<IncomingFile[] | null>(null);
  useEffect(closeSong, []);

  const demo = useMutation({
    mutationFn: () => openDemo(),
    onSuccess: id => {
      void queries.invalidateQueries({ queryKey: ['songs'] });
      void navigate(`/song/${id}/tune`);
    },
    onError: error => toast.error(`The demo song could not be opened: ${error.message}.`),
  });

  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: files => files.length && setIncoming(files.map((file, i) => ({ file, role: guessRole(file.name, i) }))),
  });

  return (
    <div {...getRootProps()} className="relative h-full overflow-auto" role={undefined}>
      <input {...getInputProps()} aria-label="WAV files" data-testid="files" />
      <div className="mx-auto max-w-[1040px] px-8 py-7">
        <header className="flex items-center gap-2.5">
          <Mark />
          <span className="text-[19px] font-bold tracking-tight">Essim</span>
          <button className="btn ml-auto" onClick={toggleTheme}>
            Light or night
          </button>
        </header>
        <section className="mt-9 flex items-end gap-3">
          <div className="flex-1">
            <h1 className="text-[26px] font-semibold tracking-tight">Your songs</h1>
            <p className="mt-1 text-ink-2">
              Everything stays in this browser. Recordings are never changed; every edit can be taken back.
            </p>
          </div>
          <button className="btn btn-ink" onClick={open}>
            <Upload size={14} aria-hidden /> New song from WAV files
          </button>
        </section>
        <ul className="mt-6 grid grid-cols-3 gap-4 max-[900px]:grid-cols-2">
          {songs.data?.map(row => (
            <SongCard key={row.id} row={row} />
          ))}
          {!songs.data?.some(s => s.id === DEMO_ID) && (
            <li className="card flex min-h-[190px] flex-col">
              <h2 className="text-[15px] font-semibold">Ferry Lamp</h2>
              <p className="mt-1 text-ink-2">
                The demo song: a lead with three takes, a double, a harmony and a backing, with mistakes made on
                purpose.
              </p>
              <div className="mt-auto">
                <button
                  className="btn btn-ink mt-4 w-full"
                  onClick={() => demo.mutate()}
                  disabled={demo.isPending}
                  data-testid="open-demo"
                >
                  Open the demo song
                </button>
              </div>
            </li>
          )}
          <li className="grid min-h-[190px] place-items-center rounded-xl border border-dashed border-rule p-5 text-center text-ink-2">
            <p>
              Drop WAV files here: a lead to work on,
              <br />a backing to hear it against.
            </p>
          </li>
        </ul>
        <HowItGoes />
      </div>
      {isDragActive && (
        <div className="pointer-events-none fixed inset-4 z-20 grid place-items-center rounded-2xl border-2 border-dashed border-teal bg-teal-soft/80 text-lg font-semibold text-teal-deep">
          Drop to make a new song
        </div>
      )}
      {incoming && <ImportDialog files={incoming} onClose={() => setIncoming(null)} />}
    </div>
  );
}

const STEPS = [
  ['Open', 'Essim reads the voice: pitch, notes, breaths and consonants. Nobody plays anything in.'],
  ['Settle', 'Choose notes, press S: each goes to the nearest step of the key and keeps its own movement.'],
  ['Listen', 'Space plays against the backing. Drag what went wrong, ease what is too straight, compare with C.'],
  ['Take it away', 'Export the track as WAV; what you did not touch is bit for bit as it was sung.'],
];

function HowItGoes() {
  return (
    <section className="mt-10 border-t border-rule pt-5" aria-label="How it goes">
      <ol className="grid grid-cols-4 gap-6 max-[900px]:grid-cols-2">
        {STEPS.map(([name, text], i) => (
          <li key={name}>
            <span className="text-[11px] font-semibold text-teal">{i + 1}</span>
            <h2 className="text-[15px] font-semibold">{name}</h2>
            <p className="mt-0.5 text-ink-2">{text}</p>
          </li>
        ))}
      </ol>
    </section>
  );
}

const when = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' });

function SongCard({ row }: { row: SongRow }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [renaming, setRenaming] = useState(false);
  const refresh = () => void queries.invalidateQueries({ queryKey: ['songs'] });
  const song = row.document as Song;
  const lead = song.tracks.find(t => t.role !== 'backing') ?? song.tracks[0];
  const remove = async () => {
    await setAside(row.id);
    refresh();
    toast(`${row.name} is off the shelf.`, {
      action: { label: 'Undo', onClick: () => void putBack(row.id).then(refresh) },
      duration: 10000,
    });
  };
  return (
    <li className="card relative flex min-h-[190px] flex-col p-0" data-testid={`song-${row.name}`}>
      <button
        className="flex-1 cursor-pointer rounded-t-xl bg-paper text-left"
        onClick={() => void navigate(`/song/${row.id}/tune`)}
        aria-label={`Open ${row.name}`}
      >
        <Miniature take={lead && heardTake(lead)} />
      </button>
      <div className="flex items-center gap-2 border-t border-rule px-3 py-2.5">
        <div className="min-w-0 flex-1">
          {renaming ? (
            <input
              className="w-full rounded border border-rule bg-card px-1 font-semibold"
              defaultValue={row.name}
              aria-label="Name of the song"
              autoFocus
              onBlur={e => {
                setRenaming(false);
                const name = e.target.value.trim();
                if (name && name !== row.name) void renameSong(row.id, name).then(refresh);
              }}
              onKeyDown={e => {
                if (e.key === 'Enter') e.currentTarget.blur();
                if (e.key === 'Escape') {
                  e.currentTarget.value = row.name;
                  e.currentTarget.blur();
                }
              }}
            />
          ) : (
            <h2 className="truncate text-[15px] font-semibold">{row.name}</h2>
          )}
          <p className="truncate text-[11.5px] text-ink-2">
            {song.tracks.length} {song.tracks.length === 1 ? 'track' : 'tracks'} · changed {when.format(row.changedAt)}
          </p>
        </div>
        <Menu>
          <MenuButton className="btn icon" aria-label={`More for ${row.name}`}>
            <Ellipsis size={15} />
          </MenuButton>
          <MenuItems
            anchor="bottom end"
            className="z-20 w-40 rounded-lg border border-rule bg-card p-1 shadow-lg focus:outline-none"
          >
            <MenuItem>
              <button
                className="w-full rounded px-2 py-1 text-left data-focus:bg-teal-soft"
                onClick={() => setRenaming(true)}
              >
                Rename
              </button>
            </MenuItem>
            <MenuItem>
              <button
                className="w-full rounded px-2 py-1 text-left data-focus:bg-teal-soft"
                onClick={() => void remove()}
              >
                Delete
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
      </div>
    </li>
  );
}

/** Asks what each dropped file is; the guess is usually right. */
function ImportDialog({ files, onClose }: { files: IncomingFile[]; onClose: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [list, setList] = useState(files);
  const [name, setName] = useState(plainName(files[0].file.name));
  const bring = useMutation({
    mutationFn: () => importSong(list, name.trim() || 'New song'),
    onSuccess: ({ songId, problems }) => {
      for (const p of problems) toast.error(p, { duration: 12000 });
      void queries.invalidateQueries({ queryKey: ['songs'] });
      onClose();
      if (songId) void navigate(`/song/${songId}/tune`);
    },
    onError: error => toast.error(`The files could not be brought in: ${error.message}. Nothing was changed.`),
  });
  return (
    <Dialog open onClose={() => !bring.isPending && onClose()} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className="w-full max-w-md rounded-xl border border-rule bg-card p-5 shadow-xl">
          <DialogTitle className="text-lg font-semibold">New song</DialogTitle>
          <label className="mt-3 block">
            <span className="text-[11px] font-semibold text-ink-2">Name</span>
            <input
              className="mt-0.5 w-full rounded-lg border border-rule bg-card px-2.5 py-1.5"
              value={name}
              onChange={e => setName(e.target.value)}
            />
          </label>
          <ul className="mt-3 max-h-64 space-y-1.5 overflow-auto">
            {list.map((f, i) => (
              <li key={i} className="flex items-center gap-2">
                <span className="min-w-0 flex-1 truncate">{f.file.name}</span>
                <select
                  className="rounded-lg border border-rule bg-card px-2 py-1"
                  aria-label={`Role of ${f.file.name}`}
                  value={f.role}
                  onChange={e => setList(list.map((g, j) => (j === i ? { ...g, role: e.target.value as Role } : g)))}
                >
                  {ROLES.filter(r => r !== 'part').map(r => (
                    <option key={r}>{r}</option>
                  ))}
                </select>
              </li>
            ))}
          </ul>
          <div className="mt-5 flex justify-end gap-2">
            <button className="btn" onClick={onClose} disabled={bring.isPending}>
              Cancel
            </button>
            <button
              className="btn btn-ink"
              onClick={() => bring.mutate()}
              disabled={bring.isPending}
              data-testid="bring-in"
            >
              {bring.isPending ? 'Bringing in…' : 'Bring in'}
            </button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
