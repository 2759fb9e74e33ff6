import {
  addTakes as takesAdded,
  addTrack,
  chosenChannels,
  counted,
  Song,
  Take,
  together,
  Track,
  type ChannelChoice,
  type Reading,
  type Role,
} from '@essim/core';
import { create } from 'zustand';
import { coolDown, forgetAhead, headAhead, nameAhead, readAhead, warmUp } from '../jobs/ahead';
import { FileReaderJob, withFiles } from '../jobs/files-client';
import type { SoundFacts } from '../sound-files/sound-file';
import { wavRate } from '../sound-files/wav-rate';
import { pictured, type PicturedVoice } from './pictured';
import { guessChannels, guessFile, plainName, settleRoles, type FileGuess } from './guessing';
import { newId } from '../keeping/ids';
import { keepRecordings, type Held } from '../keeping/locks';
import { change as changeSong, songOf, useSession, written } from '../open-song';
import { addSong } from '../keeping/songs';
import { freeBytes, inBytes, isFull } from '../keeping/space';

/** Brings files in: reads them as soon as they are dropped, two at a time, while the user looks over what each is to be. */

export type ImportTarget = { kind: 'song' } | { kind: 'tracks' } | { kind: 'takes'; trackId: string };

export interface ImportRow {
  id: string;
  file: File;
  guess: FileGuess;
  role: Role;
  name: string;
  channels: ChannelChoice;
  /** The row whose recording is the same singer's other microphone. */
  linkedTo: string | null;
  status: 'waiting' | 'reading' | 'ready' | 'failed' | 'stopped';
  progress: number;
  /** What was heard in it so far. */
  heard?: PicturedVoice;
  problem?: string;
  result?: {
    sourceId: string;
    seconds: number;
    format: string;
    fileRate: number;
    channelCount: number;
    /** Where a broadcast time stamp puts it, s. */
    stampSeconds: number | null;
  };
}

interface Imports {
  target: ImportTarget | null;
  rate: number;
  rows: ImportRow[];
  songName: string;
}

export const useImports = create<Imports>(() => ({ target: null, rate: 48000, rows: [], songName: '' }));
const get = useImports.getState;
const set = useImports.setState;

const LARGEST_BYTES = 4e9;
const AT_ONCE = 2;
/** How much larger a file usually becomes where it is kept, by its kind: whole samples as they are, decoded ones as floats. */
const GROWTH = new Map(Object.entries({ wav: 1, flac: 2, mp3: 12, ogg: 14, m4a: 14, opus: 16 }));

const running = new Map<string, FileReaderJob>();
/** Nothing that comes in is swept away before a song names it. */
let kept: Promise<Held> | null = null;
/** Counts imports, so that one that was closed does not go on. */
let round = 0;

const change = (id: string, fields: Partial<ImportRow>) =>
  set(s => ({ rows: s.rows.map(r => (r.id === id ? { ...r, ...fields } : r)) }));
export const changeRow = change;

/** "Take 2" before "Take 10". */
const inOrder = new Intl.Collator('en', { numeric: true });

export async function beginImport(dropped: File[], target: ImportTarget): Promise<void> {
  if (!dropped.length || get().target) return;
  const files = [...dropped].sort((a, b) => inOrder.compare(a.name, b.name));
  const mine = ++round;
  kept ??= keepRecordings();
  forgetAhead();
  const guesses = settleRoles(files.map(f => guessFile(f.name)));
  const rows = files.map((file, i): ImportRow => ({
    id: newId(),
    file,
    guess: guesses[i],
    role: guesses[i].role,
    name: guesses[i].name,
    channels: 'stereo',
    linkedTo: null,
    status: 'waiting',
    progress: 0,
    ...(file.size > LARGEST_BYTES ? { status: 'failed' as const, problem: 'it is larger than 4 GB' } : {}),
  }));
  set({ target, rows, songName: songNameOf(files) });
  // workers come while the first file's header is looked at
  for (let i = 0; i < Math.min(AT_ONCE, rows.length); i++) spare.push(new FileReaderJob());
  if (rows.some(isSung)) warmUp();
  const song = songOf(useSession.getState());
  const rate = target.kind !== 'song' && song ? song.sampleRate : await rateFor(rows);
  if (mine !== round) return;
  set({ rate });
  const needed = rows.reduce((sum, r) => sum + r.file.size * (GROWTH.get(extension(r.file.name)) ?? 2), 0);
  const free = await freeBytes();
  if (mine !== round) return;
  if (free !== null && needed > free) {
    const problem = `there may not be enough space: about ${inBytes(needed)} are needed, ${inBytes(free)} are free. Free some on the song shelf`;
    set(s => ({ rows: s.rows.map(r => ({ ...r, status: 'failed', problem })) }));
    dismiss();
    return;
  }
  await Promise.all(Array.from({ length: AT_ONCE }, () => work(mine)));
  dismiss();
  if (mine !== round) return;
  settle();
  await readOn(mine);
}

/** Workers that have no file yet. */
const spare: FileReaderJob[] = [];
function dismiss(): void {
  spare.splice(0).forEach(job => job.close());
}

const isSung = (r: ImportRow) => r.role !== 'backing';

/** Reads voices ahead, one after the other, for as long as the dialog is open. */
async function readOn(mine: number): Promise<void> {
  const read = new Set<string>();
  for (;;) {
    const { rows } = get();
    // two microphones become a recording of their own
    const alone = (r: ImportRow) => !r.linkedTo && !rows.some(q => q.linkedTo === r.id);
    const row = rows.find(r => r.result && isSung(r) && alone(r) && !read.has(r.id) && !fromTheFirst.has(r.id));
    if (!row || mine !== round) return;
    read.add(row.id);
    const { sourceId } = row.result!;
    const channels = await withFiles(async job => job.loadAlone('', sourceId, row.channels)).catch(() => null);
    if (!channels || mine !== round) continue;
    const all = readAhead(row.id, channels, get().rate, heardIn(row.id));
    nameAhead(row.id, sourceId, row.channels);
    await all;
  }
}

const heardIn = (rowId: string) => (reading: Reading, until: number) => {
  change(rowId, { heard: pictured(reading, until) });
};

/** Rows whose sound is read from the moment it is there. */
const fromTheFirst = new Set<string>();

const extension = (name: string) => /\.([^.]+)$/.exec(name.toLowerCase())?.[1] ?? '';

/** The folder's name when files came in one, else what all names begin with, else the first one's. */
function songNameOf(files: File[]): string {
  const path = files[0].webkitRelativePath || (files[0] as File & { path?: string }).path || '';
  const folder = path
    .split('/')
    .filter(p => p && p !== '.')
    .slice(0, -1)
    .pop();
  if (folder) return folder;
  const names = files.map(f => plainName(f.name));
  let shared = names[0];
  for (const n of names) while (!n.startsWith(shared)) shared = shared.slice(0, -1);
  const common = shared.replace(/[^\p{L}\p{N}]+$/u, '');
  if (files.length === 1) return names[0];
  // what all begin with is the song's name, unless it only says what they are
  return common.length >= 4 && !guessFile(common).told ? common : 'New song';
}

/** A new song's rate: its lead's, or the first one's that tells. */
async function rateFor(rows: ImportRow[]): Promise<number> {
  const order = [...rows].sort((a, b) => Number(b.role === 'lead') - Number(a.role === 'lead'));
  for (const row of order) {
    // most are told without a worker
    const rate = (await wavRate(row.file).catch(() => null)) ?? (await withFiles(async job => job.rate(row.file)));
    if (typeof rate === 'number' && rate >= 8000 && rate <= 192000) return Math.max(44100, Math.min(96000, rate));
  }
  return 48000;
}

/** Reads waiting rows until there are none. */
async function work(mine: number): Promise<void> {
  for (;;) {
    const row = get().rows.find(r => r.status === 'waiting');
    if (!row || mine !== round) return;
    change(row.id, { status: 'reading' });
    const job = spare.pop() ?? new FileReaderJob();
    running.set(row.id, job);
    try {
      const onRead = (channels: Float32Array[], sound: SoundFacts) => {
        const choice = guessChannels(sound, row.role);
        // channels that are to be mixed are mixed by whoever loads them
        if (mine !== round || choice === 'mix') return undefined;
        fromTheFirst.add(row.id);
        void readAhead(row.id, chosenChannels(channels, choice), get().rate, heardIn(row.id));
        // two processors are best at one thing after the other, and what is in it is waited for
        return headAhead(row.id);
      };
      const read = await job.read(
        row.file,
        get().rate,
        share => {
          // a redraw a per cent, not one a report
          const progress = Math.round(share * 100) / 100;
          if (get().rows.find(r => r.id === row.id)?.progress !== progress) change(row.id, { progress });
        },
        // one that comes alone is read at once; of several none is to slow the others down
        get().rows.length === 1 && isSung(row) ? onRead : undefined,
      );

      if (mine !== round) return;
      if (get().rows.find(r => r.id === row.id)?.status === 'stopped') continue;
      if ('error' in read) {
        change(row.id, { status: 'failed', problem: read.error });
        continue;
      }
      const channels = guessChannels(read.sound, row.role);
      const held = fromTheFirst.has(row.id) ? read.held : undefined;
      nameAhead(row.id, read.sourceId, channels, held ? chosenChannels(held, channels) : null);
      const guess = row.guess.told ? row.guess : guessFile(row.file.name, read.sound);
      change(row.id, {
        status: 'ready',
        progress: 1,
        guess: { ...row.guess, role: guess.role },
        channels,
        result: {
          sourceId: read.sourceId,
          seconds: read.seconds,
          format: read.format,
          fileRate: read.fileRate,
          channelCount: read.channelCount,
          stampSeconds: read.timeReference === undefined ? null : read.timeReference / read.fileRate,
        },
      });
    } catch (error) {
      change(row.id, {
        status: 'failed',
        problem: isFull(error)
          ? 'the browser’s storage is full; free some space on the song shelf'
          : error instanceof Error
            ? error.message
            : String(error),
      });
    } finally {
      job.close();
      running.delete(row.id);
      if (!get().rows.find(r => r.id === row.id)?.result) forgetAhead(row.id);
    }
  }
}

/** Once all are read: roles of files whose names said nothing, and microphones that belong together. */
function settle(): void {
  set(s => {
    const guessed = settleRoles(s.rows.map(r => r.guess));
    const rows = s.rows.map((r, i) => (r.guess.told || r.role !== r.guess.role ? r : { ...r, role: guessed[i].role }));
    for (const [i, row] of rows.entries()) {
      if (!row.guess.microphone || row.linkedTo || row.result?.channelCount !== 1) continue;
      const other = rows.find(
        (q, j) =>
          j > i &&
          q.guess.microphone &&
          q.guess.group === row.guess.group &&
          q.guess.take === row.guess.take &&
          q.result?.channelCount === 1 &&
          Math.abs(q.result.seconds - row.result!.seconds) < 0.05 &&
          !rows.some(x => x.linkedTo === q.id),
      );
      if (other) rows[rows.indexOf(other)] = { ...other, linkedTo: row.id };
    }
    return { rows };
  });
}

/** Stops one file, or gives it up. */
export function stopRow(id: string): void {
  change(id, { status: 'stopped', problem: 'stopped' });
  running.get(id)?.stop();
}

/** Gives the whole import up. What was kept of it is swept away at the shelf. */
export function cancelImport(): void {
  round++;
  dismiss();
  fromTheFirst.clear();
  forgetAhead();
  running.forEach(job => job.stop());
  running.clear();
  set({ target: null, rows: [] });
  letGo();
}

function letGo(): void {
  void kept?.then(k => k.release());
  kept = null;
}

export interface ImportOutcome {
  /** Set when a new song was made. */
  songId: string | null;
  brought: number;
  problems: string[];
}

/** Makes the song, tracks or takes of what is ready. Files that could not be used are named with the reason. */
export async function finishImport(): Promise<ImportOutcome> {
  const { rows, target, rate, songName } = get();
  const ready = rows.filter(r => r.result);
  const problems = rows
    .filter(r => !r.result && r.status !== 'stopped')
    .map(r => `${r.file.name} could not be used: ${r.problem ?? 'it was not read'}.`);
  const outcome: ImportOutcome = { songId: null, brought: ready.length, problems };
  // whoever opens the song asks this worker at once
  if (ready.length) void withFiles(async () => {});
  if (ready.length && target) {
    const takes = await takesOf(ready);
    if (target.kind === 'takes') addTakes(target.trackId, takes);
    else {
      const tracks = tracksOf(takes);
      if (target.kind === 'song') outcome.songId = await newSong(songName, rate, tracks);
      else addTracks(tracks);
    }
  }
  round++;
  fromTheFirst.clear();
  coolDown();
  set({ target: null, rows: [] });
  void written().then(letGo);
  return outcome;
}

interface NewTake {
  row: ImportRow;
  take: Take;
}

/** Takes of the rows; a linked row's recording becomes the second channel of the other's. */
async function takesOf(rows: ImportRow[]): Promise<NewTake[]> {
  const stamps = rows.flatMap(r => r.result!.stampSeconds ?? []);
  // one stamp alone says nothing about where it lies among the others
  const zero = stamps.length > 1 ? Math.min(...stamps) : null;
  const out: NewTake[] = [];
  for (const row of rows) {
    if (row.linkedTo && rows.some(r => r.id === row.linkedTo)) continue;
    const other = rows.find(r => r.linkedTo === row.id);
    const { stampSeconds, sourceId } = row.result!;
    out.push({
      row,
      take: Object.assign(new Take(), {
        id: newId(),
        name: plainName(row.file.name),
        sourceId: other
          ? await withFiles(async job =>
              job.link(`${row.file.name} + ${other.file.name}`, [sourceId, other.result!.sourceId]),
            )
          : sourceId,
        offsetSeconds: zero === null || stampSeconds === null ? 0 : stampSeconds - zero,
        channels: other ? 'linked' : row.channels,
      }),
    });
  }
  return out;
}

/** Tracks of new takes: those of one group are takes of one track. */
function tracksOf(takes: NewTake[]): Track[] {
  const groups = new Map<string, NewTake[]>();
  for (const t of takes) {
    const { guess, role, id } = t.row;
    const key = guess.take !== null || guess.microphone ? `${role} ${guess.group}` : id;
    groups.set(key, [...(groups.get(key) ?? []), t]);
  }
  return [...groups.values()].map(list => {
    const sorted = [...list].sort((a, b) => (a.row.guess.take ?? 0) - (b.row.guess.take ?? 0));
    const { row } = sorted[0];
    return Object.assign(new Track(), {
      id: newId(),
      name: row.name,
      role: row.role,
      pan: row.guess.pan,
      takes: sorted.map(t => t.take),
      segments: [{ at: 0, takeId: sorted[0].take.id, fadeMs: 12 }],
    });
  });
}

const ORDER: Role[] = ['lead', 'double', 'harmony', 'part', 'backing'];

async function newSong(name: string, sampleRate: number, tracks: Track[]): Promise<string> {
  const ordered = [...tracks].sort((a, b) => ORDER.indexOf(a.role) - ORDER.indexOf(b.role));
  const lead = ordered.find(t => t.role === 'lead');
  for (const t of ordered) if (lead && (t.role === 'double' || t.role === 'harmony')) t.followsId = lead.id;
  const song = Object.assign(new Song(), {
    id: newId(),
    name: name.trim().slice(0, 200) || 'New song',
    sampleRate,
    tracks: ordered,
  });
  await addSong(song);
  return song.id;
}

function addTracks(tracks: Track[]): void {
  const count = songOf(useSession.getState())?.tracks.length ?? 0;
  changeSong(`Bring in ${counted(tracks.length, 'track')}`, together(tracks.map((t, i) => addTrack(t, count + i))));
}

function addTakes(trackId: string, takes: NewTake[]): void {
  const label = `Bring in ${counted(takes.length, 'take')}`;
  changeSong(
    label,
    takesAdded(
      trackId,
      takes.map(t => t.take),
    ),
  );
}
