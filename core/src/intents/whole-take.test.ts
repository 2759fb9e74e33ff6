import { smoothStep } from '../units';
import { planTake, splitTake } from '../plan';
import type { Reading } from '../read';
import { planSurroundings, Score, surroundingsOf } from '../score';
import { heardView, readingOf, song, take, track } from '../score/testing';
import type { NoteEdit, Song } from '../song';
import { followRecipe, readRecipe } from './recipe';
import type { WrittenStep } from './testing';

/** Frames of 5 ms at pitches. */
const held = (...parts: [frames: number, midi: number][]) =>
  parts.flatMap(([n, midi]) => new Array<number>(n).fill(midi));
const REST = NaN;
const swing = (n: number, midi: number, cents: number) =>
  Array.from({ length: n }, (_, i) => midi + (cents / 100) * Math.sin((2 * Math.PI * 5.5 * i) / 200));

const songOf = (fields: Partial<Song> = {}) =>
  song([track('Lead', [take('l')])], { key: { tonic: 0, mode: 'major' }, ...fields });

async function follow(start: Song, reading: Reading, steps: WrittenStep[]): Promise<{ song: Song; labels: string[] }> {
  let count = 0;
  const all = await followRecipe(start, readRecipe({ recipe: 1, steps }), {
    scoreFor: s => Promise.resolve(new Score(s, { l: heardView(reading, s.tracks[0].takes[0]) })),
    findAlignment: () => Promise.reject(new Error('nobody follows')),
    newId: () => `new-${++count}`,
  });
  return { song: all[all.length - 1]?.song ?? start, labels: all.map(a => a.label) };
}

/** The line planned for a song, MIDI a frame. */
function planned(s: Song, reading: Reading): number[] {
  const [lead] = s.tracks;
  const view = heardView(reading, lead.takes[0]);
  const score = new Score(s, { l: view });
  const split = splitTake(view.reading!);
  const around = surroundingsOf(s, lead, lead.takes[0], id => score.view(id), score.scaleAt);
  const { line } = planTake(split, lead.takes[0].edits, planSurroundings(around, split));
  return Array.from(line, c => c / 100);
}
const edits = (s: Song): NoteEdit[] => Object.values(s.tracks[0].takes[0].edits).sort((a, b) => a.start - b.start);
const notesOf = (s: Song, reading: Reading) =>
  heardView(reading, s.tracks[0].takes[0]).notes.map(n => [Math.round(n.start * 1000), Math.round(n.end * 1000)]);

describe('a whole take', () => {
  const line = [...held([40, REST], [200, 60.3], [40, REST]), ...swing(200, 63.8, 60)];
  const reading = readingOf(line, [
    [0.2, 1.2],
    [1.4, 2.4],
  ]);

  test('is drawn to its steps at once without a settle time, and slowly with one', async () => {
    const hard = planned(
      (await follow(songOf(), reading, [{ do: 'whole-take', with: { settleMs: 0 } }])).song,
      reading,
    );
    expect(hard[60]).toBeCloseTo(60, 2);
    const slow = planned(
      (await follow(songOf(), reading, [{ do: 'whole-take', with: { settleMs: 300, aim: 50 } }])).song,
      reading,
    );
    // half way, at once after a rest
    expect(slow[60]).toBeCloseTo(60.15, 2);
    // its vibrato is kept when it is asked for, and goes when it is not
    const spread = (l: number[]) => Math.max(...l.slice(340, 440)) - Math.min(...l.slice(340, 440));
    expect(spread(hard)).toBeGreaterThan(1);
    const flat = await follow(songOf(), reading, [{ do: 'whole-take', with: { settleMs: 0, vibrato: 0 } }]);
    expect(spread(planned(flat.song, reading))).toBeLessThan(0.05);
  });

  test('has other values over a stretch, and none where it is taken off', async () => {
    const { song: made } = await follow(songOf(), reading, [
      { do: 'whole-take', with: { settleMs: 80 } },
      { do: 'whole-take', on: { span: [1.3, 2.5] }, with: { aim: 40 } },
      { do: 'whole-take', on: { span: [0, 0.7] }, with: { off: true } },
    ]);
    expect(made.tracks[0].whole.map(w => [w.start, w.end, w.settleMs, w.aim])).toEqual([
      [0.7, 1.3, 80, 100],
      [1.3, 2.5, 80, 40],
      [2.5, 86400, 80, 100],
    ]);
    const now = planned(made, reading);
    expect(now[80]).toBeCloseTo(60.3, 4);
    expect(now[230]).toBeCloseTo(60, 2);
  });

  test('leaves a note with an edit of its own to it', async () => {
    const { song: made } = await follow(songOf(), reading, [
      { do: 'place', on: { notes: { index: [0] } }, with: { pitch: 62 } },
      { do: 'whole-take', with: { settleMs: 0 } },
    ]);
    expect(planned(made, reading)[140]).toBeCloseTo(62, 2);
  });

  test('follows the rules of the tuning', async () => {
    const rules = (rule: unknown) =>
      follow(songOf(), reading, [
        { do: 'step-rule', with: { step: 0, rule } },
        { do: 'whole-take', with: { settleMs: 0 } },
      ]);
    expect(planned((await rules('left')).song, reading)[140]).toBeCloseTo(60.3, 4);
    expect(planned((await rules({ to: 2 })).song, reading)[140]).toBeCloseTo(62, 2);
  });

  test('goes from step to step as slowly as is asked', async () => {
    const rise = Array.from({ length: 16 }, (_, i) => 60.2 + 3.9 * smoothStep((i + 1) / 17));
    const two = readingOf(
      [...held([92, 60.2]), ...rise, ...held([92, 64.1])],
      [
        [0, 0.5],
        [0.5, 1],
      ],
    );
    const { song: made } = await follow(songOf(), two, [{ do: 'whole-take', with: { settleMs: 0, glideMs: 200 } }]);
    const now = planned(made, two);
    const between = now.filter(m => m > 60.2 && m < 63.8).length;
    expect(between * 5).toBeGreaterThan(100);
    expect(between * 5).toBeLessThan(200);
  });

  test.each([
    [{}],
    [{ settleMs: 0 }],
    [{ settleMs: 250, aim: 60, vibrato: 50 }],
    [{ settleMs: 20, glideMs: 150, vibrato: 130 }],
  ])('becomes notes that sound the same: %j', async values => {
    const melody = [
      ...held([20, REST], [90, 60.2], [70, 62.3]),
      ...swing(160, 64.2, 40),
      ...held([30, REST], [80, 59.7]),
    ];
    const read = readingOf(melody, [
      [0.1, 0.55],
      [0.55, 0.9],
      [0.9, 1.7],
      [1.85, 2.25],
    ]);
    const whole = (await follow(songOf(), read, [{ do: 'whole-take', with: values }])).song;
    const notes = (await follow(whole, read, [{ do: 'into-notes' }])).song;
    expect(notes.tracks[0].whole).toEqual([]);
    expect(edits(notes).map(e => e.target)).toEqual([60, 62, 64, 60]);
    const [before, after] = [planned(whole, read), planned(notes, read)];
    const away = before.flatMap((m, k) => (Number.isNaN(melody[k]) ? [] : [Math.abs(m - after[k])]));
    expect(away.filter(a => a < 0.05).length / away.length).toBeGreaterThan(0.95);
  });

  test('what was asked for and cannot be is told', async () => {
    const failing = (steps: WrittenStep[]) => follow(songOf(), reading, steps);
    await expect(failing([{ do: 'into-notes' }])).rejects.toThrow('nothing is tuned as a whole here');
    await expect(failing([{ do: 'whole-take', with: { off: true } }])).rejects.toThrow('no track is tuned as a whole');
    await expect(failing([{ do: 'whole-take', with: { settleMs: 700 } }])).rejects.toThrow(
      'settleMs 700 is over 600 ms',
    );
  });
});

describe('slack', () => {
  // a note that strays for 60 ms and a run that holds each of its steps for 120
  const line = held([100, 60.1], [12, 61.2], [88, 60.1], [40, REST], [60, 62], [24, 64], [24, 65], [100, 67]);
  const one = readingOf(line, [
    [0, 1],
    [1.2, 2.24],
  ]);
  const fine = readingOf(line, [
    [0, 0.5],
    [0.5, 0.56],
    [0.56, 1],
    [1.2, 1.5],
    [1.5, 1.62],
    [1.62, 1.74],
    [1.74, 2.24],
  ]);
  const RUN = [
    [1200, 1500],
    [1500, 1620],
    [1620, 1740],
    [1740, 2240],
  ];

  test('cuts what holds another step, and lets strays be', async () => {
    const { song: made, labels } = await follow(songOf(), one, [{ do: 'slack', with: { cents: 20, ms: 80 } }]);
    expect(notesOf(made, one)).toEqual([[0, 1000], ...RUN]);
    expect(labels).toEqual(['Slack 20 cents, 80 ms: 1 note becomes 4']);
  });

  test('joins strays that were notes, and keeps the run', async () => {
    const { song: made } = await follow(songOf(), fine, [{ do: 'slack', with: { cents: 20, ms: 80 } }]);
    expect(notesOf(made, fine)).toEqual([[0, 1000], ...RUN]);
    const { song: kept } = await follow(songOf(), fine, [{ do: 'slack', with: { cents: 20, ms: 40 } }]);
    expect(notesOf(kept, fine)).toEqual(notesOf(songOf(), fine));
  });

  test('puts the pieces of a settled note on their steps; a pinned one stays whole', async () => {
    const settled = await follow(songOf(), one, [{ do: 'settle' }, { do: 'slack' }]);
    expect(edits(settled.song).map(e => e.target)).toEqual([60, 62, 64, 65, 67]);
    const pinned = await follow(songOf(), one, [{ do: 'pin' }, { do: 'slack' }]);
    expect(notesOf(pinned.song, one)).toEqual(notesOf(songOf(), one));
  });

  test('keeps a note that is sung anew on its step', async () => {
    const twice = readingOf(held([120, 60.1], [80, 60.2]), [
      [0, 0.6],
      [0.6, 1],
    ]);
    const { song: made } = await follow(songOf(), twice, [{ do: 'slack', with: { cents: 60, ms: 300 } }]);
    expect(notesOf(made, twice)).toEqual([
      [0, 600],
      [600, 1000],
    ]);
  });
});
