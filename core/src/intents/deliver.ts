import {
  addTrack,
  backTo,
  onlyOf,
  setSong,
  setTrack,
  Take,
  together,
  Track,
  versionOf,
  Word,
  type Change,
  type Song,
} from '../song';
import { counted } from '../units';
import { Refused, tracksMeant, type Intent, type Stage } from './intent';
import { freeName } from './parts';

/** What is done when the work is done: levels of the whole, bounces, versions. */

const master: Intent = {
  name: 'master',
  title: 'Master',
  about: 'Sets the level of all that sounds together.',
  on: 'song',
  args: [{ name: 'levelDb', about: 'level', kind: 'number', low: -96, high: 24, unit: 'dB', required: true }],
  act: ({ score }, { levelDb }) => ({
    label: `Master ${levelDb as number} dB`,
    song: setSong({ masterDb: levelDb as number })(score.song),
  }),
};

/** The words of a track where they are heard, for a recording that begins at the song's zero. */
const wordsHeard = ({ score }: Pick<Stage, 'score'>, track: Track): Word[] =>
  score
    .view(track.id)
    .words.map(({ text, start, end }) => Object.assign(new Word(), { text, start: Math.max(0, start), end }));

/** A track of a track's sound as edited, in its place; the original stays, muted. */
async function bounced(stage: Stage, track: Track): Promise<Change> {
  if (!track.segments.length) throw new Refused(`${track.name} has no sound yet`);
  if (!stage.bounce) throw new Refused('nothing can be heard here');
  const { song } = stage.score;
  const words = wordsHeard(stage, track);
  const take = Object.assign(new Take(), {
    id: stage.newId(),
    name: `${track.name} as edited`.slice(0, 200),
    sourceId: await stage.bounce(track),
    offsetSeconds: 0,
    words,
  });
  const made = Object.assign(new Track(), {
    id: stage.newId(),
    name: freeName(song, `${track.name} bounced`),
    role: track.role === 'part' ? 'harmony' : track.role,
    levelDb: track.levelDb,
    pan: track.pan,
    solo: track.solo,
    colour: track.colour,
    takes: [take],
    segments: [onlyOf(take.id)],
    guide: track.guide,
    bouncedFromId: track.id,
  });
  return together([
    setTrack(track.id, { mute: true, solo: false }),
    now => addTrack(made, now.tracks.findIndex(t => t.id === track.id) + 1)(now),
  ]);
}

const bounce: Intent = {
  name: 'bounce',
  title: 'Bounce',
  about: 'Makes a new track of what a track sounds like as edited; the original is kept, muted.',
  on: 'tracks',
  reads: true,
  args: [],
  async act(stage) {
    const tracks = tracksMeant(stage);
    const changes: Change[] = [];
    for (const track of tracks) changes.push(await bounced(stage, track));
    const what = tracks.length === 1 ? tracks[0].name : counted(tracks.length, 'track');
    return { label: `Bounce ${what}`, song: together(changes)(stage.score.song) };
  },
};

const reopen: Intent = {
  name: 'reopen',
  title: 'Open a bounce again',
  about: 'Lets the original of a bounce be heard again, and mutes the bounce.',
  on: 'tracks',
  args: [],
  act(stage) {
    const { song } = stage.score;
    const pairs = tracksMeant(stage).map(track => {
      const original = song.tracks.find(t => t.id === track.bouncedFromId);
      if (!original) throw new Refused(`${track.name} is no bounce of a track that is there`);
      return { track, original };
    });
    const changes = pairs.flatMap(({ track, original }) => [
      setTrack(track.id, { mute: true, solo: false }),
      setTrack(original.id, { mute: false, solo: track.solo }),
    ]);
    return { label: `Open ${pairs.map(p => p.original.name).join(', ')} again`, song: together(changes)(song) };
  },
};

const NAME = { name: 'name', about: 'what it is called', kind: 'text', most: 100 } as const;

const version: Intent = {
  name: 'version',
  title: 'Keep a version',
  about: 'Keeps the song as it is under a name, to go back to and to compare with.',
  on: 'song',
  args: [{ ...NAME, required: true }],
  act({ score, newId, now = 0 }, { name }) {
    const { song } = score;
    const plain = (name as string).trim();
    if (!plain) throw new Refused('a version needs a name');
    if (song.versions.some(v => v.name === plain)) throw new Refused(`there is a version "${plain}" already`);
    const kept = versionOf(song, { id: newId(), name: plain, madeAt: now });
    return { label: `Keep version ${plain}`, song: setSong({ versions: [...song.versions, kept] })(song) };
  },
};

const versionNamed = (song: Song, name: string) => {
  const found = song.versions.find(v => v.name === name || v.id === name);
  if (!found) throw new Refused(`there is no version "${name}"`);
  return found;
};

const back: Intent = {
  name: 'back-to',
  title: 'Go back to a version',
  about: 'Makes the song what it was in a version; versions stay.',
  on: 'song',
  args: [{ ...NAME, about: 'which version', required: true }],
  act({ score }, { name }) {
    const found = versionNamed(score.song, name as string);
    return { label: `Back to version ${found.name}`, song: backTo(score.song, found) };
  },
};

const forget: Intent = {
  name: 'forget-version',
  title: 'Forget a version',
  about: 'Forgets what was kept under a name.',
  on: 'song',
  args: [{ ...NAME, about: 'which version', required: true }],
  act({ score }, { name }) {
    const { song } = score;
    const found = versionNamed(song, name as string);
    return {
      label: `Forget version ${found.name}`,
      song: setSong({ versions: song.versions.filter(v => v !== found) })(song),
    };
  },
};

export const DELIVER_INTENTS: readonly Intent[] = [master, bounce, reopen, version, back, forget];
