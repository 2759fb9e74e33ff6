import {
  composeClips,
  editReport,
  editReportCsv,
  editReportHtml,
  keyName,
  panGains,
  placedClips,
  practiceLevel,
  soundsInMix,
  stemNames,
  tidyFileName,
  counted,
  writeMusicXml,
  writeSongMidi,
  writtenSong,
  type NamedSong,
  type PlacedClip,
  type Song,
  type Track,
} from '@essim/core';
import * as Comlink from 'comlink';
import { strToU8, zipSync } from 'fflate';
import { toast } from 'sonner';
import { create } from 'zustand';
import type { Container, Delivered, DeliveredFile, Delivery, DeliveryFormat } from '../jobs/deliver';
import { keepSource } from '../keeping/sources';
import { download } from './download';
import { WorkerHost } from '../jobs/host';
import type { DeliverWorker } from '../jobs/deliver.worker';
import {
  act,
  clientOf,
  editTrackOf,
  isVocal,
  keyOf,
  opened,
  scoreOf,
  songOf,
  useSession,
  viewOf,
  type SessionState,
} from '../open-song';
import { allPlanned, countingEditsOf, surroundingsNow } from '../open-song/planning';

/** What leaves the program: a track, all stems, the mix. Everything begins at the song's zero and is as long as the song. */

export type DeliveryKind = 'track' | 'stems' | 'mix' | 'practice';
export const FORMAT_NAMES: Record<DeliveryFormat, string> = {
  int16: '16-bit',
  int24: '24-bit',
  float32: '32-bit float',
};

/** What is being delivered now. */
export const useDelivering = create<{ kind: DeliveryKind; name: string; done: number; of: number } | null>(() => null);
let stopped = false;
export const stopDelivering = (): void => void (stopped = true);

/** A take as edited. One that came into the comp a moment ago is waited for. @throws when it cannot be had */
async function renderedTake(track: Track, takeId: string): Promise<Float32Array[]> {
  const take = track.takes.find(t => t.id === takeId)!;
  const song = opened();
  for (;;) {
    if (!song || opened() !== song) throw new Error('the song was closed');
    const client = clientOf(takeId);
    if (client?.prepared) {
      const s = useSession.getState();
      return client.render(countingEditsOf(s, track, take), surroundingsNow(s, track, take));
    }
    const status = useSession.getState().takes[takeId]?.status;
    const given = status === 'failed' || status === 'stopped';
    if (given && Object.keys(take.edits).length) throw new Error(`${take.name} has edits and is not read`);
    const sound = song.sounds.get(takeId);
    if (sound && (given || !isVocal(track))) return sound.sung;
    if (given) throw new Error(`${take.name} could not be loaded`);
    await new Promise(r => setTimeout(r, 50));
  }
}

/** A track's takes as edited, with where they lie. */
export interface RenderedTrack {
  clips: PlainClip[];
  sources: [string, Float32Array[]][];
  /** Where its last sample lies, song samples. */
  length: number;
}
type PlainClip = Omit<PlacedClip, 'place'>;

/** A track's comp of whole takes as edited. @throws when something of it cannot be had */
export async function renderedTrack(track: Track): Promise<RenderedTrack> {
  const song = songOf(useSession.getState())!;
  const { sampleRate } = song;
  const placed = placedClips(song, track);
  const ids = [...new Set(placed.map(c => c.takeId))];
  const sources = await Promise.all(
    ids.map(async (id): Promise<[string, Float32Array[]]> => [id, await renderedTake(track, id)]),
  );
  const lengths = new Map(sources.map(([id, [c]]) => [id, c.length]));
  const clips = placed.map(({ place: _, ...c }) => c);
  const ends = clips.map(c => Math.min(c.to * sampleRate, Math.round(c.shift * sampleRate) + lengths.get(c.takeId)!));
  return { clips, sources, length: Math.max(1, ...ends.map(Math.ceil)) };
}

/** Gives rendered samples away instead of copying them; shared ones stay where they are. */
const handedOver = (d: Delivered): Delivered =>
  Comlink.transfer(
    d,
    d.sources.flatMap(([, channels]) => channels.flatMap(c => (c.buffer instanceof ArrayBuffer ? [c.buffer] : []))),
  );

/**
 * Length of the song as it is delivered, samples: the last sample of any recording. The same for all that is delivered, so every
 * recording is waited for. @throws when one cannot be had
 */
async function songLength(tracks: readonly Track[]): Promise<number> {
  const song = songOf(useSession.getState())!;
  const open = opened();
  let last = 1;
  for (const track of tracks)
    for (const c of placedClips(song, track)) {
      while (!open?.sounds.has(c.takeId)) {
        if (stopped || !open || opened() !== open) throw new Error('stopped');
        if (useSession.getState().takes[c.takeId]?.status === 'failed')
          throw new Error(`${track.name} could not be loaded`);
        await new Promise(r => setTimeout(r, 50));
      }
      const x = open.sounds.get(c.takeId)?.sung[0];
      if (!x) continue;
      // a word may be held on past the end of its recording
      const end = Math.max(c.shift + x.length / song.sampleRate, c.place.toSong(x.length / song.sampleRate));
      last = Math.max(last, Math.min(c.to * song.sampleRate, Math.round(end * song.sampleRate)));
    }
  return Math.ceil(last);
}

export interface DeliveryOptions {
  kind: DeliveryKind;
  format: DeliveryFormat;
  container?: Container;
  /** Whether tracks carry their level and pan; the mix always does. */
  asMixed: boolean;
  /** Of integer formats; on unless said otherwise. */
  dither?: boolean;
  /** As long as the track alone, not as the song. */
  alone?: boolean;
  /** What of the song, s; null: all of it. */
  range?: { from: number; to: number } | null;
  /** What stems are called. */
  pattern?: string;
  /** Files say where in the song they begin. */
  stamped?: boolean;
  /** Only measured: nothing is written. */
  measured?: boolean;
}

/** Whether two states of a song are delivered alike. */
export const soundsAlike = (a: Pick<Song, 'tracks' | 'masterDb'>, b: Pick<Song, 'tracks' | 'masterDb'>): boolean =>
  a.tracks === b.tracks && a.masterDb === b.masterDb;

/** What was measured last, and of which state of the song. */
export const useMeasured = create<{ of: Song; kind: DeliveryKind; files: DeliveredFile[] } | null>(() => null);

/** What cannot be delivered yet, in words; null when nothing is in the way. */
export function notReady(tracks: readonly Track[]): string | null {
  const s = useSession.getState();
  const waiting = tracks.find(t => isVocal(t) && (viewOf(s, t.id).status === 'reading' || viewOf(s, t.id).partial));
  if (waiting) return `${waiting.name} is still being read.`;
  return tracks.length ? null : 'There is nothing to deliver yet.';
}

/** Delivers, with progress and a stop. */
export async function deliver(options: DeliveryOptions): Promise<void> {
  const { kind, format, asMixed, dither = true, alone = false, range = null, measured = false } = options;
  const { container = 'wav', pattern, stamped = false } = options;
  const s = useSession.getState();
  const song = songOf(s);
  const edited = editTrackOf(s);
  if (!song || useDelivering.getState()) return;
  const all = song.tracks.filter(t => t.segments.length);
  const tracks = kind === 'track' ? all.filter(t => t === edited) : all.filter(t => soundsInMix(t, song.tracks));
  const why = notReady(tracks);
  if (why) return void toast.error(why, { id: 'deliver' });
  if (container === 'flac' && format === 'float32')
    return void toast.error('FLAC holds 16 or 24 bits: choose one of them, or WAV.', { id: 'deliver' });
  stopped = false;
  useDelivering.setState({ kind, name: tracks[0].name, done: 0, of: tracks.length }, true);
  const worker = new WorkerHost<DeliverWorker>(
    new Worker(new URL('../jobs/deliver.worker.ts', import.meta.url), { type: 'module' }),
    'delivering',
  );
  try {
    const { sampleRate } = song;
    const length = await songLength(alone ? tracks : all);
    const [from, to] = range
      ? [Math.round(range.from * sampleRate), Math.min(length, Math.round(range.to * sampleRate))]
      : [0, length];
    if (from >= to) throw new Error('the range lies beyond the end of the song');
    const job = await worker.ask(w =>
      w.begin({
        sampleRate,
        length,
        from,
        to,
        format,
        container,
        dither: dither && format !== 'float32',
        as: kind === 'track' ? 'mix' : kind,
        stamped: stamped && container === 'wav',
        measured,
      }),
    );
    const base = tidyFileName(song.name) || 'Song';
    const names = stemNames(tracks, container, kind === 'stems' ? pattern : undefined, namedSong(s, song));
    const mixName = `${tidyFileName(song.name, 'mix')}.${container}`;
    let made: Delivery | null = null;
    const gainsOf = (track: Track): [number, number] => {
      if (kind === 'practice') {
        const { levelDb, pan } = practiceLevel(track, '');
        return panGains(levelDb + song.masterDb, pan);
      }
      return kind === 'mix' || asMixed ? panGains(track.levelDb + song.masterDb, track.pan) : [1, 1];
    };
    const mixed = kind === 'mix' || kind === 'practice' || asMixed;
    // each track once, and with mixes to practise with each voice once more: no more than one is held
    const fronts = kind === 'practice' ? tracks.filter(isVocal) : [];
    const passes = [
      ...tracks.map(track => ({ track, front: false })),
      ...fronts.map(track => ({ track, front: true })),
    ];
    let coming = renderedTrack(passes[0].track);
    for (const [i, { track, front }] of passes.entries()) {
      useDelivering.setState({ kind, name: track.name, done: i, of: passes.length }, true);
      // one more at the same time: each track has a worker of its own, or shares it with few
      const next = i + 1 < passes.length ? renderedTrack(passes[i + 1].track) : coming;
      next.catch(() => {});
      const { clips, sources } = await coming;
      coming = next;
      const delivered = handedOver({
        file: front
          ? `${base}, ${tidyFileName(track.name) || 'voice'} in front.${container}`
          : kind === 'track'
            ? `${tidyFileName(song.name, track.name)}.${container}`
            : names[i],
        clips,
        sources,
        gains: gainsOf(track),
        linked: track.takes.some(t => t.channels === 'linked') && mixed,
      });
      if (front) {
        const { levelDb, pan } = practiceLevel(track, track.id);
        await worker.ask(() => job.inFront(delivered, panGains(levelDb + song.masterDb, pan)));
      } else if (kind === 'track') made = await worker.ask(() => job.single(delivered));
      else await worker.ask(() => job.add(delivered));
      if (stopped || songOf(useSession.getState())?.id !== song.id) throw new Error('stopped');
    }
    made ??= await worker.ask(() => job.finish(mixName));
    useMeasured.setState({ of: song, kind, files: made.files }, true);
    if (!made.bytes) return;
    const name = kind === 'stems' || kind === 'practice' ? `${tidyFileName(song.name, kind)}.zip` : made.files[0].name;
    download(name, made.bytes);
    tellDelivered(name, made.files, options, song);
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    if (message === 'stopped') toast('Stopped; nothing was written.', { id: 'deliver' });
    else toast.error(`Not delivered: ${message}.`, { id: 'deliver' });
  } finally {
    worker.end();
    useDelivering.setState(null, true);
  }
}

const namedSong = (s: SessionState, song: Song): NamedSong => {
  const { key } = keyOf(s);
  return {
    name: song.name,
    tempo: song.tempo ? `${song.tempo.bpm} bpm` : '',
    key: key ? keyName(key) : '',
  };
};

function tellDelivered(
  name: string,
  files: readonly DeliveredFile[],
  { format, container = 'wav', range }: DeliveryOptions,
  song: Song,
): void {
  const peak = Math.max(...files.map(f => f.peakDb));
  const one = files.length === 1 ? `, ${lufsText(files[0].integratedLufs)}` : '';
  const about =
    `${name}: ${FORMAT_NAMES[format]} ${container === 'flac' ? 'FLAC' : 'WAV'}, ${song.sampleRate / 1000} kHz, ` +
    `from ${range ? `${range.from.toFixed(1)} s on` : 'the song’s start'}${one}, peak ${dbText(peak)}.`;
  if (peak > 0 && format !== 'float32')
    toast.warning(`${about} It is clipped: lower the levels, or take 32-bit float.`, { duration: 12000 });
  else toast.success(about);
}

export const dbText = (db: number): string => (db > -100 ? `${db.toFixed(1).replace('-', '−')} dB` : 'silent');
export const lufsText = (lufs: number): string =>
  lufs > -100 ? `${lufs.toFixed(1).replace('-', '−')} LUFS` : 'silent';

/** Exports the edited track as 24-bit WAV, dry, rounded and as long as it is: the very samples the command line writes. */
export const exportTrack = (): Promise<void> =>
  deliver({ kind: 'track', format: 'int24', asMixed: false, dither: false, alone: true });

const onTrack = (track: Track) => ({ target: { tracks: [{ track, parts: [] }], span: null, broad: true } });

/** Makes a new track of what a track sounds like as edited; the original stays, muted. @returns whether it was begun */
export function bounceTrack(track: Track): boolean {
  const why = notReady([track]);
  if (why) {
    toast.error(why, { id: 'deliver' });
    return false;
  }
  stopped = false;
  return act('bounce', {}, { ...onTrack(track), also: { bounce: soundAsRecording } });
}

/** Lets the original of a bounce be heard again. */
export const reopenBounce = (track: Track): boolean => act('reopen', {}, onTrack(track));

/** Keeps what a track sounds like as edited, from the song's zero and as long as the song. @returns the recording's name */
async function soundAsRecording(track: Track): Promise<string> {
  const song = songOf(useSession.getState())!;
  const { clips, sources } = await renderedTrack(track);
  const length = await songLength(song.tracks.filter(t => t.segments.length));
  const channels = composeClips(clips, new Map(sources), song.sampleRate, length);
  return keepSource(
    `${track.name} as edited`,
    song.sampleRate,
    channels.map(c => c.slice()),
  );
}

/** Measures the mix and every stem as they would be written. @returns whether it was done */
export async function measureAll(options: Omit<DeliveryOptions, 'kind'>): Promise<boolean> {
  useMeasured.setState(null, true);
  await deliver({ ...options, measured: true, kind: 'mix' });
  const mix = useMeasured.getState();
  if (!mix) return false;
  await deliver({ ...options, measured: true, kind: 'stems' });
  const stems = useMeasured.getState();
  if (stems?.kind !== 'stems' || stems.of !== mix.of) return false;
  useMeasured.setState({ ...stems, files: [...mix.files, ...stems.files] }, true);
  return true;
}

/** What was done, phrase by phrase, as a page with pictures, a table and data, in a zip; what is delivered is measured first. */
export async function writeReport(options: Omit<DeliveryOptions, 'kind'>): Promise<void> {
  const song = songOf(useSession.getState());
  if (!song || useDelivering.getState()) return;
  const measured = useMeasured.getState();
  if (!(measured && measured.files.length > 1 && soundsAlike(measured.of, song)) && !(await measureAll(options)))
    return;
  await allPlanned();
  const s = useSession.getState();
  if (songOf(s)?.id !== song.id) return;
  const score = scoreOf(s);
  const report = editReport(score, useMeasured.getState()!.files);
  const name = `${tidyFileName(song.name, 'report')}.zip`;
  const bytes = zipSync({
    'report.html': strToU8(editReportHtml(score, report)),
    'report.csv': strToU8(editReportCsv(report)),
    'report.json': strToU8(JSON.stringify(report, null, 1)),
  });
  download(name, new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'application/zip' }));
  const changed = report.phrases.reduce((n, p) => n + p.changed, 0);
  toast.success(`${name}: ${counted(changed, 'note')} changed in ${counted(report.phrases.length, 'phrase')}.`);
}

/** The voices of the song written down, with words: as MusicXML, a staff a voice, or as MIDI, bent to what is heard. */
export function writeDown(as: 'musicxml' | 'midi'): void {
  const s = useSession.getState();
  const song = songOf(s);
  if (!song) return;
  const voices = song.tracks.filter(t => isVocal(t) && t.segments.length);
  const why = notReady(voices);
  if (why) return void toast.error(voices.length ? why : 'Nobody sings here yet.', { id: 'deliver' });
  const written = writtenSong(scoreOf(s), voices);
  const name = `${tidyFileName(song.name) || 'Song'}.${as === 'midi' ? 'mid' : 'musicxml'}`;
  const made =
    as === 'midi'
      ? new Blob([writeSongMidi(written, { bends: true, evenVelocities: false }) as Uint8Array<ArrayBuffer>], {
          type: 'audio/midi',
        })
      : new Blob([writeMusicXml(written)], { type: 'application/vnd.recordare.musicxml+xml' });
  download(name, made);
  toast.success(
    `${name}: ${counted(voices.length, 'voice')}, ${counted(
      written.parts.reduce((n, p) => n + p.notes.length, 0),
      'note',
    )}.`,
  );
}
