import { playedMelody } from '../signal/struck';
import { seededRandom } from '../signal/random';
import { evidenceOf, pitchOf, unpick, unpickedCandidates, unpickedNotes } from '.';

const RATE = 48000;
/** Voices with ten harmonics: [MIDI, start, end] of each note. */
function sung(
  lines: readonly (readonly [number, number, number][])[],
  seconds: number,
  vibratoSemitones = 0.3,
): Float32Array {
  const x = new Float32Array(seconds * RATE);
  const random = seededRandom(3);
  for (const line of lines)
    for (const [midi, start, end] of line) {
      const hz = 440 * 2 ** ((midi - 69) / 12);
      const phases = Array.from({ length: 10 }, () => 6.28 * random.uniform());
      for (let i = Math.round(start * RATE); i < end * RATE; i++) {
        const t = i / RATE;
        const envelope = Math.min(1, (t - start) / 0.04, (end - t) / 0.04);
        const swing = (vibratoSemitones * hz * 0.0578 * Math.sin(2 * Math.PI * 5.5 * t)) / 5.5;
        for (let h = 1; h <= 10; h++)
          x[i] += 0.05 * envelope * h ** -1.1 * Math.sin(2 * Math.PI * h * hz * t + h * swing * 1.2 + phases[h - 1]);
      }
    }
  return x;
}
const HIGH: [number, number, number][] = [
  [66, 0.3, 1.2],
  [67, 1.25, 2.2],
  [67, 2.3, 3.2],
  [64, 3.25, 4.4],
];
const LOW: [number, number, number][] = [
  [62, 0.3, 1.2],
  [59, 1.25, 2.2],
  [59, 2.3, 3.2],
  [57, 3.25, 4.4],
];
const chord = sung([HIGH, LOW], 5);

describe('a chord taken apart', () => {
  test('has the notes of each voice in its line, one sung again counted as another', () => {
    const notes = unpick(chord, RATE, { voices: 2 })!;
    for (const [line, truth] of [HIGH, LOW].entries()) {
      const mine = notes.filter(n => n.line === line);
      expect(mine.map(n => Math.round(n.midi))).toEqual(truth.map(t => t[0]));
      mine.forEach((n, i) => {
        expect(Math.abs(n.start - truth[i][1])).toBeLessThan(0.08);
        expect(Math.abs(n.end - truth[i][2])).toBeLessThan(0.12);
      });
    }
  });

  test('tells how many sing, and keeps to the compass that is said', () => {
    const evidence = evidenceOf(chord, RATE)!;
    expect(new Set(unpickedNotes(evidence).map(n => n.line)).size).toBe(2);
    const low = unpickedNotes(evidence, { compasses: [{ low: 50, high: 62 }] });
    expect(low.every(n => n.midi < 62.7 && n.line === 0)).toBe(true);
    expect(low.length).toBeGreaterThan(2);
    expect(pitchOf(3) - pitchOf(0)).toBe(1);
  });

  test('leaves what a keyboard plays to the keyboard, where one is there', () => {
    const keys = playedMelody(
      [0, 1.1, 2.2, 3.3].flatMap(at => [43, 50, 54].map(midi => ({ start: at, end: at + 1.05, midi }))),
      RATE,
      chord.length,
      0.2,
    );
    const evidence = evidenceOf(
      chord.map((v, i) => v + keys[i]),
      RATE,
    )!;
    const found = unpickedCandidates(evidence, { voices: 2 });
    const at = (midi: number) => found.filter(n => Math.abs(n.midi - midi) < 0.5);
    expect(at(43).length + at(50).length).toBeGreaterThan(2);
    expect([...at(43), ...at(50)].every(n => n.is === 'played')).toBe(true);
    // nor is it offered where nobody is said to sing
    const high = unpickedCandidates(evidence, { compasses: [{ low: 60, high: 70 }] });
    expect(high.length).toBeGreaterThan(3);
    expect(Math.min(...high.map(n => n.midi))).toBeGreaterThan(59);
    const taken = found.filter(n => n.is === 'taken');
    const sung = [...HIGH, ...LOW].map(t => t[0]);
    expect(taken.filter(n => sung.includes(Math.round(n.midi))).length).toBeGreaterThanOrEqual(6);
  });

  test('whoever sings without any movement is no keyboard', () => {
    const plain = sung([HIGH, LOW], 5, 0);
    const found = unpickedNotes(evidenceOf(plain, RATE)!, { voices: 2 });
    expect(found.map(n => Math.round(n.midi)).sort()).toEqual([...HIGH, ...LOW].map(t => t[0]).sort());
  });

  test('is stopped, and silence has nothing in it', () => {
    const told: number[] = [];
    expect(
      evidenceOf(chord, RATE, share => {
        told.push(share);
        return told.length < 3;
      }),
    ).toBeNull();
    expect(told[2]).toBeGreaterThan(told[0]);
    expect(unpick(new Float32Array(RATE), RATE)).toEqual([]);
    expect(unpick(new Float32Array(0), RATE)).toEqual([]);
  });
});
