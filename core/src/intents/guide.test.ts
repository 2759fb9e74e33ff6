import { writeMidi } from '../files/midi';
import { planTake, splitTake } from '../plan';
import { planSurroundings, Score, surroundingsOf } from '../score';
import { heardView, readingOf, song, take, track } from '../score/testing';
import type { Song } from '../song';
import { asDataUrl } from './data-url';
import { followed, type WrittenStep } from './testing';

/** Four notes of .8 s, a second apart, a little beside C4, D4, E4 and G4. */
const SUNG = [60.3, 61.8, 64.2, 66.6];
const NOTES = SUNG.map((_, i): [number, number] => [i + 0.1, i + 0.9]);
const line = new Float32Array(1000).fill(NaN);
NOTES.forEach(([a, z], i) => line.fill(SUNG[i], a * 200, z * 200));
const reading = readingOf(line, NOTES);
const view = heardView(reading, { corrections: null });

const start = () =>
  song([track('Lead', [take('l')]), track('Double', [take('d')], { role: 'double', followsId: 'Lead' })], {
    key: { tonic: 0, mode: 'major' },
  });
const follow = (steps: WrittenStep[], from = start()): Promise<Song> => followed(from, steps, { l: view, d: view });
const lead = (s: Song) => s.tracks[0];
const targets = (s: Song, of = 0) =>
  NOTES.map(([a]) => Object.values(s.tracks[of].takes[0].edits).find(e => Math.abs(e.start - a) < 0.01)?.target);

/** A melody as a file: where and which, a note .8 s long. */
const file = (...notes: [start: number, midi: number][]) =>
  asDataUrl(
    writeMidi(
      'tune',
      notes.map(([at, midi]) => ({ start: at, end: at + 0.8, midi })),
      120,
    ),
  );
const ON = { tracks: 'Lead' };

describe('a melody guide', () => {
  test('says where notes go; those it has no note for stay', async () => {
    const made = await follow([
      { do: 'guide', on: ON, with: { midi: file([0.1, 60], [1.1, 63], [3.1, 67]) } },
      { do: 'settle', on: ON, with: { to: 'guide' } },
    ]);
    expect(lead(made).guide).toMatchObject({ name: 'tune', offsetSeconds: 0, fold: false });
    expect(targets(made)).toEqual([60, 63, undefined, 67]);
  });

  test('lies where it fits, unless it is said where', async () => {
    const later = file([10.1, 60], [11.1, 62], [12.1, 64], [13.1, 67]);
    const found = lead(await follow([{ do: 'guide', on: ON, with: { midi: later } }])).guide!;
    expect(found.offsetSeconds).toBeCloseTo(-10, 1);
    const said = lead(await follow([{ do: 'guide', on: ON, with: { midi: later, offset: -9 } }])).guide!;
    expect(said.offsetSeconds).toBe(-9);
    const moved = await follow([
      { do: 'guide', on: ON, with: { midi: later } },
      { do: 'guide', on: ON, with: { offset: -11 } },
      { do: 'settle', on: ON, with: { to: 'guide' } },
    ]);
    expect(targets(moved)).toEqual([62, 64, 67, undefined]);
  });

  test('is folded into the octave that is sung when that is asked', async () => {
    const low = file([0.1, 48], [1.1, 50], [2.1, 52], [3.1, 43]);
    const asked = (fold: boolean) =>
      follow([
        { do: 'guide', on: ON, with: { midi: low, offset: 0, fold } },
        { do: 'settle', on: ON, with: { to: 'guide' } },
      ]);
    expect(targets(await asked(true))).toEqual([60, 62, 64, 67]);
    expect(targets(await asked(false))).toEqual([48, 50, 52, 43]);
  });

  test('of a lead is that of its followers, until they have their own or it is taken away', async () => {
    const both = await follow([
      { do: 'guide', on: ON, with: { notes: [[0, 5, 65]] } },
      { do: 'settle', on: { tracks: 'Double' }, with: { to: 'guide' } },
    ]);
    expect(targets(both, 1)).toEqual([65, 65, 65, 65]);
    const gone = follow(
      [
        { do: 'guide', on: ON, with: { none: true } },
        { do: 'settle', with: { to: 'guide' } },
      ],
      both,
    );
    await expect(gone).rejects.toThrow('there is no melody guide here yet');
  });

  test('leaves pinned notes alone', async () => {
    const made = await follow([
      { do: 'place', on: { ...ON, notes: { index: [0] } }, with: { pitch: 62 } },
      { do: 'guide', on: ON, with: { notes: [[0, 5, 65]] } },
      { do: 'settle', on: ON, with: { to: 'guide' } },
    ]);
    expect(targets(made)).toEqual([62, 65, 65, 65]);
  });

  test('is what a whole take is drawn to when that is asked; where it has no note the voice is as sung', async () => {
    const made = await follow([
      { do: 'guide', on: ON, with: { midi: file([0.1, 60], [1.2, 63], [3.1, 67]), offset: 0 } },
      { do: 'whole-take', on: ON, with: { settleMs: 0, to: 'guide' } },
    ]);
    const score = new Score(made, { l: view, d: view });
    const split = splitTake(reading);
    const around = surroundingsOf(made, lead(made), lead(made).takes[0], id => score.view(id), score.scaleAt);
    const now = planTake(split, {}, planSurroundings(around, split)).line;
    expect([100, 300, 500, 700].map(k => Math.round(now[k]))).toEqual([6000, 6300, 6420, 6700]);
  });

  test.each([
    [{}, 'nothing was said about the guide'],
    [{ midi: 'tune.mid' }, 'midi "tune.mid" is no file that is at hand'],
    [{ midi: asDataUrl(new TextEncoder().encode('la la')) }, 'midi: it is not a MIDI file'],
    [{ midi: file([0, 60]), track: 'choir' }, 'track: there is no "choir" in the file; it has tune'],
    [{ midi: file([0, 60]), notes: [[0, 1, 60]] }, 'only one of midi and notes can be given'],
    [{ notes: [[1, 1, 60]] }, 'notes: note 1: it ends before it begins'],
    [{ offset: 1 }, 'Lead has no guide yet'],
  ])('%j is refused', async (args, reason) => {
    await expect(follow([{ do: 'guide', on: ON, with: args }])).rejects.toThrow(reason);
  });
});
