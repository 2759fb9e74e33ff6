import {
  asCompared,
  comparedRate,
  floatsOf,
  lengthOf,
  mixDown,
  placedClips,
  stretchesFrom,
  type Edits,
  type PlacedClip,
  type TakeSurroundings,
  type Track,
  type Samples,
} from '@essim/core';
import type { ComparedTrack } from '../jobs/align.worker';
import type { TakeClient } from '../jobs/take-client';
import { clientOf, isVocal, opened, songOf, soundOf, useSession, viewOf } from '../open-song';
import { countingEditsOf, surroundingsNow } from '../open-song/planning';

/** Tracks of the open song as they sound, whole: for what leaves the program, and for what compares them. */

/** How a take's sound is wanted. */
interface Wanted {
  sampleRate: number;
  render: (client: TakeClient, edits: Edits, around: TakeSurroundings | null) => Promise<Samples[]>;
  /** Of a take that is not edited. */
  asSung: (channels: Samples[]) => Samples[];
}

/** A take as edited. One that came into the comp a moment ago is waited for. @throws when it cannot be had */
async function renderedTake(track: Track, takeId: string, wanted: Wanted): Promise<Samples[]> {
  const take = track.takes.find(t => t.id === takeId)!;
  const song = opened();
  for (;;) {
    if (!song || opened() !== song) throw new Error('the song was closed');
    const client = clientOf(takeId);
    if (client?.prepared) {
      const s = useSession.getState();
      return wanted.render(client, countingEditsOf(s, track, take), surroundingsNow(s, track, take));
    }
    const status = useSession.getState().takes[takeId]?.status;
    const given = status === 'failed' || status === 'stopped';
    if (given && Object.keys(take.edits).length) throw new Error(`${take.name} has edits and is not read`);
    const sound = song.sounds.get(takeId);
    if (sound && (given || !isVocal(track))) return wanted.asSung(sound.sung);
    if (given) throw new Error(`${take.name} could not be loaded`);
    await new Promise(r => setTimeout(r, 50));
  }
}

/** A track's takes as edited, with where they lie. */
export interface RenderedTrack {
  clips: PlainClip[];
  sources: [string, Samples[]][];
  /** Where its last sample lies. */
  length: number;
}
type PlainClip = Omit<PlacedClip, 'place'>;

/** A track's comp of whole takes as edited. @throws when something of it cannot be had */
export const renderedTrack = (track: Track): Promise<RenderedTrack> =>
  rendered(track, {
    sampleRate: songOf(useSession.getState())!.sampleRate,
    render: (client, edits, around) => client.render(edits, around),
    asSung: channels => channels,
  });

/** The same in one channel, as it is compared with other tracks. @throws when something of it cannot be had */
export async function comparedTrack(track: Track): Promise<ComparedTrack> {
  const { sampleRate } = songOf(useSession.getState())!;
  const low = comparedRate(sampleRate);
  const compared = await rendered(track, {
    sampleRate: low,
    render: async (client, edits, around) => [await client.renderCompared(edits, around)],
    asSung: channels => {
      const mono = (from: number, to: number) => mixDown(channels.map(c => floatsOf(c, from, to)));
      return [asCompared(stretchesFrom(lengthOf(channels[0]), mono), sampleRate)];
    },
  });
  return { ...compared, sampleRate: low };
}

/** Lengths and places are in samples of what is wanted. */
async function rendered(track: Track, wanted: Wanted): Promise<RenderedTrack> {
  const song = songOf(useSession.getState())!;
  const { sampleRate } = wanted;
  const placed = placedClips(song, track);
  const ids = [...new Set(placed.map(c => c.takeId))];
  const sources = await Promise.all(
    ids.map(async (id): Promise<[string, Samples[]]> => [id, await renderedTake(track, id, wanted)]),
  );
  const lengths = new Map(sources.map(([id, [c]]) => [id, lengthOf(c)]));
  const clips = placed.map(({ place: _, ...c }) => c);
  const ends = clips.map(c => Math.min(c.to * sampleRate, Math.round(c.shift * sampleRate) + lengths.get(c.takeId)!));
  return { clips, sources, length: Math.max(1, ...ends.map(Math.ceil)) };
}

/**
 * Length of the song as it is delivered, samples: the last sample of any recording. The same for all that is delivered, so every
 * recording is waited for. @throws when one cannot be had
 */
export async function songLength(tracks: readonly Track[], stopped?: () => boolean): Promise<number> {
  const song = songOf(useSession.getState())!;
  let last = 1;
  for (const track of tracks)
    for (const c of placedClips(song, track)) {
      const { sung } = await soundOf(
        track.takes.find(t => t.id === c.takeId)!,
        stopped,
      );
      const seconds = lengthOf(sung[0]) / song.sampleRate;
      // a word may be held on past the end of its recording
      const end = Math.max(c.shift + seconds, c.place.toSong(seconds));
      last = Math.max(last, Math.min(c.to * song.sampleRate, Math.round(end * song.sampleRate)));
    }
  return Math.ceil(last);
}

/** What cannot be delivered yet, in words; null when nothing is in the way. */
export function notReady(tracks: readonly Track[]): string | null {
  const s = useSession.getState();
  const waiting = tracks.find(t => isVocal(t) && (viewOf(s, t.id).status === 'reading' || viewOf(s, t.id).partial));
  if (waiting) return `${waiting.name} is still being read.`;
  return tracks.length ? null : 'There is nothing to deliver yet.';
}
