import { mainTake, type Song } from '@essim/core';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ellipsis, ListChecks, Mic, PackageOpen, Upload } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { Mark } from '../shell/Mark';
import { toggleTheme } from '../shell/theme';
import { BUNDLE_ENDING, isBundle, openBundleFile, useBundling } from '../exchange/bundles';
import { isMelody, isRecipe, openRecipe, RECIPE_ENDING } from '../exchange/recipes';
import { DEMO_ID, openDemo, restoreDemo } from '../keeping/demo';
import { newId } from '../keeping/ids';
import { takeNewer, useOffline } from '../keeping/offline';
import { beginImport, useImports } from '../exchange/importing';
import { closeSong } from '../open-song';
import {
  deleteForGood,
  duplicateSong,
  emptySong,
  listSetAside,
  listSongs,
  putBack,
  renameSong,
  setAside,
} from '../keeping/songs';
import { inBytes, songBytes, sourceSizes, spaceNow, sweep } from '../keeping/space';
import type { SongRow } from '../keeping/db';
import { ImportDialog } from '../exchange/ImportDialog';
import { Miniature } from './Miniature';
import { RecipeDialog } from './RecipeDialog';

/** The song shelf: songs as cards, the demo song, and where files are dropped to make a new one. */
export function Shelf() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const songs = useQuery({ queryKey: ['songs'], queryFn: listSongs });
  const sizes = useQuery({ queryKey: ['songs', 'sizes'], queryFn: sourceSizes });
  useEffect(() => {
    closeSong();
    // recordings of songs deleted for good, and of imports that were given up
    if (!useImports.getState().target)
      void sweep().then(() => queries.invalidateQueries({ queryKey: ['songs', 'sizes'] }));
  }, [queries]);

  const demo = useMutation({
    mutationFn: () => openDemo(),
    onSuccess: id => {
      void queries.invalidateQueries({ queryKey: ['songs'] });
      void navigate(`/song/${id}/gather`);
    },
    onError: error => toast.error(`The demo song could not be opened: ${error.message}.`),
  });

  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: files => {
      const bundles = files.filter(isBundle);
      if (bundles.length) void openBundles(bundles);
      const recipe = files.find(isRecipe);
      if (recipe) void openRecipe(recipe, files);
      // melodies that the recipe names come with it
      const sounds = files.filter(f => !isBundle(f) && !isRecipe(f) && !(recipe && isMelody(f)));
      if (sounds.length) void beginImport(sounds, { kind: 'song' });
    },
  });
  const openBundles = async (files: File[]) => {
    let last: string | null = null;
    for (const file of files) last = (await openBundleFile(file)) ?? last;
    await queries.invalidateQueries({ queryKey: ['songs'] });
    if (last && files.length === 1) void navigate(`/song/${last}/deliver`);
  };
  const bundleInput = useRef<HTMLInputElement>(null);
  const recipeInput = useRef<HTMLInputElement>(null);
  const bundling = useBundling();

  return (
    <div {...getRootProps()} className="relative h-full overflow-auto" role={undefined}>
      <input {...getInputProps()} aria-label="Sound files" data-testid="files" />
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
          <input
            ref={bundleInput}
            type="file"
            accept={BUNDLE_ENDING}
            multiple
            className="hidden"
            aria-label="Song bundles"
            data-testid="bundles"
            onChange={e => {
              void openBundles([...(e.target.files ?? [])]);
              e.target.value = '';
            }}
          />
          <input
            ref={recipeInput}
            type="file"
            accept={`${RECIPE_ENDING},.mid,.midi`}
            multiple
            className="hidden"
            aria-label="Recipe"
            data-testid="recipe-file"
            onChange={e => {
              const chosen = [...(e.target.files ?? [])];
              const file = chosen.find(isRecipe);
              if (file) void openRecipe(file, chosen);
              e.target.value = '';
            }}
          />
          <button className="btn" onClick={() => recipeInput.current?.click()} disabled={!songs.data?.length}>
            <ListChecks size={14} aria-hidden /> Follow a recipe
          </button>
          <button className="btn" onClick={() => bundleInput.current?.click()} disabled={!!bundling}>
            <PackageOpen size={14} aria-hidden />
            {bundling ? `${bundling.name}: ${Math.round(bundling.share * 100)} %` : 'Open a song bundle'}
          </button>
          <button
            className="btn"
            data-testid="empty-song"
            title="A song with one empty track, to begin by recording"
            onClick={() => void emptySong().then(id => navigate(`/song/${id}/gather`))}
          >
            <Mic size={14} aria-hidden /> Begin by recording
          </button>
          <button className="btn btn-ink" onClick={open}>
            <Upload size={14} aria-hidden /> New song from files
          </button>
        </section>
        <NewerVersion />
        <ul className="mt-6 grid grid-cols-3 gap-4 max-[900px]:grid-cols-2">
          {songs.data?.map(row => (
            <SongCard key={row.id} row={row} bytes={songBytes(row.document as Song, sizes.data ?? new Map())} />
          ))}
          {!songs.data?.some(s => s.id === DEMO_ID) && (
            <li className="card flex min-h-[190px] flex-col">
              <h2 className="text-[15px] font-semibold">Ferry Lamp</h2>
              <p className="mt-1 text-ink-2">
                The demo song: a lead with three takes, a double nobody has aligned yet and a backing, with mistakes
                made on purpose. The harmony is yours to make.
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
              Drop a folder of stems here: WAV, FLAC, MP3, Ogg; or a song bundle.
              <br />
              Lead, doubles, harmonies, backing.
            </p>
          </li>
        </ul>
        <Room />
        <HowItGoes />
      </div>
      {isDragActive && (
        <div className="pointer-events-none fixed inset-4 z-20 grid place-items-center rounded-2xl border-2 border-dashed border-teal bg-teal-soft/80 text-lg font-semibold text-teal-deep">
          Drop to make a new song
        </div>
      )}
      <ImportDialog />
      <RecipeDialog songs={songs.data ?? []} />
    </div>
  );
}

/** Space used and free, and songs that can still be put back. */
function Room() {
  const queries = useQueryClient();
  const space = useQuery({ queryKey: ['songs', 'space'], queryFn: spaceNow });
  const aside = useQuery({ queryKey: ['songs', 'aside'], queryFn: listSetAside });
  const sizes = useQuery({ queryKey: ['songs', 'sizes'], queryFn: sourceSizes });
  const refresh = () => void queries.invalidateQueries({ queryKey: ['songs'] });
  if (!space.data) return null;
  const { used, free, persistent } = space.data;
  const share = free === null ? 0 : used / Math.max(1, used + free);
  const forGood = async (id: string) => {
    await deleteForGood(id);
    await sweep();
    refresh();
  };
  return (
    <section className="mt-6 text-ink-2" aria-label="Space">
      <div className="flex items-center gap-3">
        <span className="h-1.5 w-40 overflow-hidden rounded bg-rule-soft">
          <span className="block h-full bg-teal" style={{ width: `${Math.max(1, share * 100)}%` }} />
        </span>
        <span className="tabular-nums" data-testid="space">
          {inBytes(used)} used{free === null ? '' : `, ${inBytes(free)} free in this browser`}
        </span>
        {!persistent && (
          <button
            className="underline underline-offset-2"
            title="Without this promise a browser short of space may clear what Essim keeps"
            onClick={() =>
              void navigator.storage?.persist?.().then(granted => {
                if (!granted) toast('The browser did not agree. Bookmarking or installing Essim usually helps.');
                refresh();
              })
            }
          >
            Ask the browser to keep it
          </button>
        )}
      </div>
      {share > 0.85 && (
        <p className="mt-2 rounded-lg bg-amber-soft px-3 py-1.5 text-amber">
          Space is running short: about {inBytes(free ?? 0)} are left. Export and delete songs you no longer need before
          recording or bringing in more.
        </p>
      )}
      {!!aside.data?.length && (
        <details className="mt-2">
          <summary className="cursor-pointer">
            {aside.data.length} deleted {aside.data.length === 1 ? 'song' : 'songs'} can be put back
          </summary>
          <ul className="mt-1.5 space-y-1">
            {aside.data.map(row => (
              <li key={row.id} className="flex items-center gap-2">
                <span className="w-56 truncate">{row.name}</span>
                <span className="w-16 tabular-nums">
                  {inBytes(songBytes(row.document as Song, sizes.data ?? new Map()))}
                </span>
                <button className="pill" onClick={() => void putBack(row.id).then(refresh)}>
                  Put back
                </button>
                <button className="pill" onClick={() => void forGood(row.id)} title="This cannot be undone">
                  Delete for good
                </button>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

const STEPS = [
  [
    'Gather',
    'Drop the stems, pick the best take phrase by phrase, check key and tempo. Essim reads every voice itself.',
  ],
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

const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.round(s % 60)).padStart(2, '0')}`;
const when = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' });

function SongCard({ row, bytes }: { row: SongRow; bytes: number }) {
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
        onClick={() => void navigate(`/song/${row.id}/gather`)}
        aria-label={`Open ${row.name}`}
      >
        <Miniature take={lead && mainTake(lead)} />
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
            {row.seconds ? `${clock(row.seconds)} · ` : ''}
            {song.tracks.length} {song.tracks.length === 1 ? 'track' : 'tracks'}
            {bytes ? ` · ${inBytes(bytes)}` : ''}
          </p>
          <p className="truncate text-[11.5px] text-ink-2">changed {when.format(row.changedAt)}</p>
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
                onClick={() => void duplicateSong(row.id, newId()).then(refresh)}
              >
                Duplicate
              </button>
            </MenuItem>
            {row.id === DEMO_ID && (
              <MenuItem>
                <button
                  className="w-full rounded px-2 py-1 text-left data-focus:bg-teal-soft"
                  title="What you did to it stays on the shelf as a copy"
                  onClick={() => void restoreDemo().then(refresh)}
                >
                  Start afresh
                </button>
              </MenuItem>
            )}
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

/** A newer Essim, offered where no song is open. */
function NewerVersion() {
  const { newer } = useOffline();
  if (!newer) return null;
  return (
    <section className="card mt-4 flex items-center justify-between gap-4" aria-label="A newer Essim">
      <p>A newer Essim is ready. It is taken when you say so, and never under an open song.</p>
      <button className="btn btn-ink" onClick={() => void takeNewer()}>
        Take it
      </button>
    </section>
  );
}
