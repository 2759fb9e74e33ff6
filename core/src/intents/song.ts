import { syllablesOfTake } from '../score';
import {
  Chord,
  setSong,
  setTake,
  setTrack,
  spreadWords,
  syllablesOf,
  Tempo,
  together,
  type Change,
  type Track,
} from '../song';
import { counted } from '../units';
import { Refused, tracksMeant, type Intent } from './intent';

/** What holds for a whole song or a whole track. */

const named = (tracks: readonly Track[]): string =>
  tracks.length === 1 ? tracks[0].name : counted(tracks.length, 'track');

const chords: Intent = {
  name: 'chords',
  title: 'Chords',
  about: 'Sets the chords of the song.',
  on: 'song',
  args: [
    {
      name: 'list',
      about: 'from when on which chord',
      kind: 'pairs',
      most: 20000,
      first: { low: 0, high: 86400, unit: 's' },
      second: { most: 20 },
      required: true,
    },
  ],
  act({ score }, { list }) {
    const all = [...(list as readonly (readonly [number, string])[])].sort((a, b) => a[0] - b[0]);
    const made = all.map(([start, name]) => Object.assign(new Chord(), { start, name }));
    return { label: counted(made.length, 'chord'), song: setSong({ chords: made })(score.song) };
  },
};

const METRE = /^(\d{1,2})\/(2|4|8|16)$/;

const tempo: Intent = {
  name: 'tempo',
  title: 'Tempo',
  about: 'Sets tempo, metre and the first bar.',
  on: 'song',
  args: [
    { name: 'bpm', about: 'beats a minute', kind: 'number', low: 20, high: 400, unit: 'bpm' },
    { name: 'metre', about: 'like 4/4 or 6/8', kind: 'text', most: 5 },
    { name: 'firstBar', about: 'where bar 1 begins', kind: 'number', low: -3600, high: 86400, unit: 's' },
  ],
  act({ score }, { bpm, metre, firstBar }) {
    const { song } = score;
    const m = metre === undefined ? null : METRE.exec(metre as string);
    if (metre !== undefined && (!m || !(Number(m[1]) >= 1 && Number(m[1]) <= 32)))
      throw new Refused(`metre "${metre as string}" is not one like 4/4 or 6/8`);
    if (bpm === undefined && !song.tempo) throw new Refused('bpm is missing: this song has no tempo yet');
    const first = { bpm: 120, beatsPerBar: 4, firstBarSeconds: score.backing?.tempo?.firstBarSeconds ?? 0 };
    const made = Object.assign(new Tempo(), song.tempo ?? first, {
      ...(bpm === undefined ? {} : { bpm }),
      ...(m ? { beatsPerBar: Number(m[1]), beatUnit: Number(m[2]) } : {}),
      ...(firstBar === undefined ? {} : { firstBarSeconds: firstBar }),
    });
    return { label: `Tempo ${made.bpm} bpm`, song: setSong({ tempo: made })(song) };
  },
};

const words: Intent = {
  name: 'words',
  title: 'Words',
  about: 'Spreads words over the notes of tracks and what is spoken, a line a phrase where the counts agree.',
  on: 'tracks',
  reads: true,
  args: [{ name: 'text', about: 'the words, a line a phrase', kind: 'text', most: 100_000, required: true }],
  async act(stage, { text }) {
    // patterns of a language are large, and most songs never ask for them
    const { hyphenate } = await import('../song/hyphenate');
    const lines = syllablesOf(text as string, hyphenate);
    const { score } = stage;
    const changes = tracksMeant(stage).flatMap(track => {
      const { phrases } = score.view(track.id);
      return track.takes.flatMap((take): Change[] => {
        const view = score.takes[take.id];
        if (!view?.reading) return [];
        const own = phrases.map(p => ({
          start: p.start - take.offsetSeconds - 0.1,
          end: p.end - take.offsetSeconds + 0.1,
        }));
        return [setTake(track.id, take.id, { words: spreadWords(lines, own, syllablesOfTake(view)) })];
      });
    });
    if (!changes.length) throw new Refused('nothing is read yet that words could be spread over');
    return { label: 'Paste words', song: together(changes)(score.song) };
  },
};

const mix: Intent = {
  name: 'mix',
  title: 'Mix',
  about: 'Sets level, pan, mute and solo of tracks.',
  on: 'tracks',
  args: [
    { name: 'levelDb', about: 'level', kind: 'number', low: -96, high: 24, unit: 'dB' },
    { name: 'pan', about: 'place between left (-1) and right (1)', kind: 'number', low: -1, high: 1, unit: '' },
    { name: 'mute', about: 'not heard', kind: 'flag' },
    { name: 'solo', about: 'heard alone', kind: 'flag' },
  ],
  act(stage, args) {
    const tracks = tracksMeant(stage);
    if (!Object.keys(args).length) throw new Refused('nothing was said about the mix');
    const { levelDb, pan, mute, solo } = args;
    const said = [
      levelDb === undefined ? [] : [`${String(levelDb)} dB`],
      pan === undefined ? [] : [`pan ${Math.round((pan as number) * 100)}`],
      mute === undefined ? [] : [mute ? 'muted' : 'heard'],
      solo === undefined ? [] : [solo ? 'solo' : 'not solo'],
    ].flat();
    return {
      label: `${named(tracks)}: ${said.join(', ')}`,
      song: together(tracks.map(t => setTrack(t.id, args)))(stage.score.song),
    };
  },
};

export const SONG_INTENTS: readonly Intent[] = [chords, tempo, words, mix];
