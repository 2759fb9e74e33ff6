import {
  isVocal,
  keyName,
  panGains,
  practiceLevel,
  soundsInMix,
  stemNames,
  Stopped,
  tidyFileName,
  type NamedSong,
  type Song,
} from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { create } from 'zustand';
import type { Container, Delivered, DeliveredFile, Delivery, DeliveryFormat } from '../jobs/deliver';
import type { DeliverWorker } from '../jobs/deliver.worker';
import { WorkerHost } from '../jobs/host';
import { editTrackOf, keyOf, songOf, useSession, type SessionState } from '../open-song';
import { download } from './download';
import { notReady, renderedTrack, songLength } from './rendering';

/** What leaves the program: a track, all stems, the mix. Everything begins at the song's zero and is as long as the song. */

export type DeliveryKind = 'track' | 'stems' | 'mix' | 'practice' | 'measures';
export const FORMAT_NAMES: Record<DeliveryFormat, string> = {
  int16: '16-bit',
  int24: '24-bit',
  float32: '32-bit float',
};

/** What is being delivered now. */
export const useDelivering = create<{ kind: DeliveryKind; name: string; done: number; of: number } | null>(() => null);
let stopped = false;
export const stopDelivering = (): void => void (stopped = true);

/** Gives rendered samples away instead of copying them; shared ones stay where they are. */
const handedOver = (d: Delivered): Delivered =>
  Comlink.transfer(
    d,
    d.sources.flatMap(([, channels]) => channels.flatMap(c => (c.buffer instanceof ArrayBuffer ? [c.buffer] : []))),
  );

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
}

/** Whether two states of a song are delivered alike. */
export const soundsAlike = (a: Pick<Song, 'tracks' | 'masterDb'>, b: Pick<Song, 'tracks' | 'masterDb'>): boolean =>
  a.tracks === b.tracks && a.masterDb === b.masterDb;

/** What was measured last, and of which state of the song. */
export const useMeasured = create<{ of: Song; kind: DeliveryKind; files: DeliveredFile[] } | null>(() => null);

/** Delivers, with progress and a stop. */
export async function deliver(options: DeliveryOptions): Promise<void> {
  const { kind, format, asMixed, dither = true, alone = false, range = null } = options;
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
    const length = await songLength(alone ? tracks : all, () => stopped);
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
      }),
    );
    const base = tidyFileName(song.name) || 'Song';
    const names = stemNames(tracks, container, kind === 'practice' ? undefined : pattern, namedSong(s, song));
    const mixName = `${tidyFileName(song.name, 'mix')}.${container}`;
    let made: Delivery | null = null;
    const placed = ({ levelDb, pan }: { levelDb: number; pan: number }) => panGains(levelDb + song.masterDb, pan);
    const dry = kind !== 'mix' && kind !== 'practice' && !asMixed;
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
        gains: dry ? [1, 1] : placed(kind === 'practice' ? practiceLevel(track, '') : track),
        dry,
        ...(dry ? { inMix: placed(track) } : {}),
        linked: track.takes.some(t => t.channels === 'linked'),
      });
      if (front) {
        await worker.ask(() => job.inFront(delivered, placed(practiceLevel(track, track.id))));
      } else if (kind === 'track') made = await worker.ask(() => job.single(delivered));
      else await worker.ask(() => job.add(delivered));
      if (stopped || songOf(useSession.getState())?.id !== song.id) throw new Stopped('it was stopped');
    }
    made ??= await worker.ask(() => job.finish(mixName));
    useMeasured.setState({ of: song, kind, files: made.files }, true);
    if (!made.bytes) return;
    const name = kind === 'stems' || kind === 'practice' ? `${tidyFileName(song.name, kind)}.zip` : made.files[0].name;
    download(name, made.bytes);
    tellDelivered(name, made.files, options, song);
  } catch (error) {
    if (error instanceof Stopped) toast('Stopped; nothing was written.', { id: 'deliver' });
    else toast.error(`Not delivered: ${error instanceof Error ? error.message : String(error)}.`, { id: 'deliver' });
  } finally {
    worker.end();
    useDelivering.setState(null, true);
  }
}

export const namedSong = (s: SessionState, song: Song): NamedSong => {
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

/** Measures every stem and the mix as they would be written. @returns whether it was done */
export async function measure(options: Omit<DeliveryOptions, 'kind'>): Promise<boolean> {
  const song = songOf(useSession.getState());
  await deliver({ ...options, kind: 'measures' });
  const measured = useMeasured.getState();
  return !!song && measured?.kind === 'measures' && soundsAlike(measured.of, song);
}
