import { followed } from '../intents/testing';
import { Chord, Tempo, type Song, type Track } from '../song';
import { hintsOf } from './hints';
import { Score } from './score';
import { heardView, readingOf, song, take, track } from './testing';
import type { TakeView } from './track-view';

/** A voice that sings pitches, .8 s each, a second apart. */
const view = (pitches: readonly number[]): TakeView => {
  const line = new Float32Array(pitches.length * 200).fill(NaN);
  pitches.forEach((p, i) => line.fill(p, i * 200 + 20, i * 200 + 180));
  const notes = pitches.map((_, i): [number, number] => [i + 0.1, i + 0.9]);
  return heardView(readingOf(line, notes), { corrections: null });
};
const LEAD = track('Lead', [take('l')]);
const HIGH = track('High', [take('h')], { role: 'harmony', followsId: 'Lead' });
const C_MAJOR: Partial<Song> = { key: { tonic: 0, mode: 'major' } };

/** Hints of a track: which note, what kind, where to. */
function told(tracks: Track[], takes: Record<string, TakeView>, of = tracks[0], fields: Partial<Song> = {}) {
  const score = new Score(song(tracks, { ...C_MAJOR, ...fields }), takes);
  return hintsOf(score, of).map(h => [Math.floor(h.start), h.kind, h.alternatives]);
}
const of = (pitches: readonly number[], fields: Partial<Song> = {}) => told([LEAD], { l: view(pitches) }, LEAD, fields);
const MELODY = [60, 62, 64, 65, 67, 65, 64, 62, 60];
const withNote = (i: number, midi: number) => MELODY.map((p, k) => (k === i ? midi : p));

describe('hints', () => {
  test('a melody in its key has none, sung a little beside or as a whole low', () => {
    expect(of(MELODY.map((p, i) => p + (i % 2 ? 0.2 : -0.2)))).toEqual([]);
    expect(of(MELODY.map(p => p - 0.3))).toEqual([]);
  });

  test('a note nearer to a step it was hardly meant for', () => {
    expect(of(withNote(4, 66.4))).toEqual([
      [4, 'semitone', [67]],
      [4, 'outside', [67, 65]],
    ]);
    // of a singer who is low throughout
    const low = of(withNote(4, 67).map(p => p - (p === 67 ? 0.6 : 0.3)));
    expect(low).toContainEqual([4, 'semitone', [67]]);
  });

  test('outside the key, between two steps, an octave away', () => {
    expect(of(withNote(2, 63.1))).toContainEqual([2, 'outside', [64, 62]]);
    expect(of(withNote(4, 67.42))).toContainEqual([4, 'halfway', [67, 69]]);
    expect(of(withNote(4, 55))).toEqual([[4, 'octave', [67]]]);
  });

  test('against the chord, a semitone from one of its tones', () => {
    const chords = [Object.assign(new Chord(), { start: 0, name: 'C' })];
    expect(of(withNote(4, 65), { chords })).toContainEqual([4, 'clash-chord', [64, 67]]);
    // a tone of the chord is none, nor what lies a tone away
    expect(of([60, 62, 64, 67, 69], { chords })).toEqual([]);
  });

  test('against another voice that sounds then', () => {
    const clash = (pitch: number, whose = HIGH) =>
      told([LEAD, HIGH], { l: view(MELODY), h: view(withNote(4, pitch).map((p, i) => (i === 4 ? p : p + 12))) }, whose);
    expect(clash(65.95)).toContainEqual([4, 'clash-track', expect.any(Array)]);
    // what should be an octave and beats; of the two it is the follower that moves
    expect(clash(79.35)).toEqual([[4, 'clash-track', [79]]]);
    expect(clash(79.35, LEAD)).toEqual([]);
    expect(clash(79.1)).toEqual([]);
    // a voice that is muted clashes with nobody
    const muted = track('High', [take('h')], { role: 'harmony', mute: true });
    expect(told([LEAD, muted], { l: view(MELODY), h: view(withNote(4, 66)) })).toEqual([]);
  });

  test('strong beats weigh more for the chord', () => {
    const tempo = Object.assign(new Tempo(), { bpm: 60, beatsPerBar: 4, firstBarSeconds: 0.1 });
    const chords = [Object.assign(new Chord(), { start: 0, name: 'Am' })];
    expect(of(withNote(4, 68.45), { tempo, chords })).toContainEqual([4, 'semitone', [69]]);
  });

  test('go with the note, with a pin, or when they are dismissed', async () => {
    const takes = { l: view(withNote(2, 63.1)) };
    const start = song([LEAD], C_MAJOR);
    const hints = (s: Song) => hintsOf(new Score(s, takes), s.tracks[0]).filter(h => !h.looked);
    const count = hints(start).length;
    expect(count).toBeGreaterThan(0);
    const note = { tracks: 'Lead', notes: { index: [2] } };
    expect(hints(await followed(start, [{ do: 'pin', on: note }], takes))).toEqual([]);
    const dismissed = await followed(start, [{ do: 'dismiss-hints', on: note }], takes);
    expect(hints(dismissed)).toEqual([]);
    const again = await followed(dismissed, [{ do: 'dismiss-hints', on: note, with: { again: true } }], takes);
    expect(hints(again)).toHaveLength(count);
    await expect(followed(dismissed, [{ do: 'dismiss-hints', on: note }], takes)).rejects.toThrow('no hints here');
  });
});
