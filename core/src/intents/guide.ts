import { readMelodies } from '../files/melody';
import { offsetFor } from '../score';
import { guideFrom, setTrack, type Guide, together, type Track } from '../song';
import { counted, type Seconds } from '../units';
import { bytesOfDataUrl } from './data-url';
import { Refused, tracksMeant, type Intent, type Stage } from './intent';

/** The melody that a track is meant to sing. */

type Row = readonly [start: Seconds, end: Seconds, midi: number];

/** The guide in a MIDI file: of the track that has most notes unless another is named. @throws Refused */
export function guideInFile(midi: string, track?: string | number): { name: string; notes: readonly Row[] } {
  let all;
  try {
    all = readMelodies(bytesOfDataUrl(midi));
  } catch (error) {
    throw new Refused(`midi: ${(error as Error).message}`);
  }
  const found =
    track === undefined
      ? all.reduce((a, b) => (b.notes.length > a.notes.length ? b : a))
      : typeof track === 'number'
        ? all[track - 1]
        : all.find(t => t.name.toLowerCase() === track.toLowerCase());
  if (!found)
    throw new Refused(
      `track: there is no ${JSON.stringify(track)} in the file; it has ${all.map(t => t.name).join(', ')}`,
    );
  return { name: found.name, notes: found.notes.map((n): Row => [n.start, n.end, n.midi]) };
}

/** The notes asked for, and what they are called; null where nothing new is. */
function notesAsked(args: {
  midi?: string;
  track?: string | number;
  notes?: readonly Row[];
}): { name: string; notes: readonly Row[] } | null {
  const { midi, track, notes } = args;
  if (midi !== undefined && notes !== undefined) throw new Refused('only one of midi and notes can be given');
  if (notes) return { name: 'own notes', notes };
  if (midi === undefined) {
    if (track !== undefined) throw new Refused('a track needs the midi file it is of');
    return null;
  }
  return guideInFile(midi, track);
}

function guideWith(stage: Stage, track: Track, args: Parameters<typeof notesAsked>[0] & Asked): Guide {
  const asked = notesAsked(args);
  const before = track.guide;
  if (!asked && !before) throw new Refused(`${track.name} has no guide yet`);
  const fold = args.fold ?? (asked ? false : before!.fold);
  const made = asked
    ? guideFrom(
        asked.name,
        asked.notes.map(([start, end, midi]) => ({ start, end, midi })),
      )
    : before!;
  const found = () => offsetFor(made.notes, stage.score.view(track.id).notes, fold);
  const offsetSeconds = args.offset ?? (args.midi === undefined ? (before?.offsetSeconds ?? 0) : found());
  return Object.assign(guideFrom(made.name, made.notes), { offsetSeconds, fold });
}
interface Asked {
  offset?: Seconds;
  fold?: boolean;
}

const guide: Intent = {
  name: 'guide',
  title: 'Melody guide',
  about:
    'Gives tracks the melody they are meant to sing, from a MIDI file or as notes; settle to guide then puts notes on it. No offset: it is found.',
  on: 'tracks',
  reads: true,
  args: [
    { name: 'midi', about: 'the file', kind: 'file', what: 'a MIDI file' },
    { name: 'track', about: 'which of its tracks; absent: that with most notes', kind: 'which' },
    { name: 'notes', about: 'instead of a file: start, end and pitch of each', kind: 'notes', most: 20000 },
    {
      name: 'offset',
      about: 'how much later it is heard than written',
      kind: 'number',
      low: -86400,
      high: 86400,
      unit: 's',
    },
    { name: 'fold', about: 'its notes are meant in the octave that is sung', kind: 'flag' },
    { name: 'none', about: 'takes the guide away', kind: 'flag' },
  ],
  act(stage, args) {
    const tracks = tracksMeant(stage);
    if (!Object.keys(args).length) throw new Refused('nothing was said about the guide');
    if (args.none)
      return {
        label: 'No melody guide',
        song: together(tracks.map(t => setTrack(t.id, { guide: null })))(stage.score.song),
      };
    const made = tracks.map(t => [t, guideWith(stage, t, args as Asked)] as const);
    return {
      label: `Melody guide of ${counted(made[0][1].notes.length, 'note')}`,
      song: together(made.map(([t, g]) => setTrack(t.id, { guide: g })))(stage.score.song),
    };
  },
};

export const GUIDE_INTENTS: readonly Intent[] = [guide];
