import { chordTones, pitchClass } from '../music';
import { seededRandom } from '../signal/random';
import { leadVoices, otherWays, usualCompasses, type Compass, type LedNote } from './voice-leading';

const D_MAJOR = [2, 4, 6, 7, 9, 11, 1];
const CHORDS = ['D', 'G', 'A', 'Bm', 'Em', 'F#m', 'A7', 'D/F#', 'Gmaj7'];

/** Thirty-two bars of eighths and quarters over a chord a bar, sung by step mostly, four phrases. */
function made(seed: number, bars = 32): LedNote[] {
  const random = seededRandom(seed);
  const scale = [50, 52, 54, 55, 57, 59, 61, 62, 64, 66, 67, 69];
  const out: LedNote[] = [];
  let at = 5;
  for (let bar = 0; bar < bars; bar++) {
    const chord = bar % 8 === 7 ? 'A' : bar % 8 === 0 ? 'D' : CHORDS[Math.floor(random.uniform() * CHORDS.length)];
    const tones = chordTones(chord);
    for (let beat = 0; beat < (bar % 4 === 3 ? 3 : 4);) {
      const strong = beat === 0 || beat === 2;
      at = Math.max(0, Math.min(11, at + Math.round(random.normal() * 1.4)));
      // a melody lies on its chord where it is strong, as melodies do
      const near = (i: number) => Math.abs(i - at) + (tones.includes(pitchClass(scale[i])) ? 0 : 100);
      if (strong) at = scale.reduce((best, _, i) => (near(i) < near(best) ? i : best), 0);
      const length = random.uniform() < 0.4 ? 0.5 : 1;
      const start = (bar * 4 + beat) * 0.6;
      out.push({
        start,
        end: start + length * 0.58,
        midi: scale[at],
        chord: tones,
        scale: D_MAJOR,
        leading: 1,
        strong,
      });
      beat += length;
    }
  }
  return out;
}

/** Fifths and octaves that two lines go on in, the same direction. */
function parallels(notes: readonly LedNote[], lines: readonly (number | null)[][]): number {
  let count = 0;
  const all = [notes.map(n => n.midi as number | null), ...lines];
  for (let i = 1; i < notes.length; i++) {
    if (notes[i].start - notes[i - 1].end > 0.35) continue;
    for (let u = 0; u < all.length; u++)
      for (let v = u + 1; v < all.length; v++) {
        const [a, b, p, q] = [all[u][i - 1], all[u][i], all[v][i - 1], all[v][i]];
        if (a === null || b === null || p === null || q === null || a === b || p === q || b > a !== q > p) continue;
        const [was, is] = [Math.abs(a - p) % 12, Math.abs(b - q) % 12];
        if (was === is && (is === 0 || is === 7)) count++;
      }
  }
  return count;
}

const voices = (n: number): Compass[] => usualCompasses(n, 59);

describe('voices about a line', () => {
  test.each([
    [2, 1],
    [3, 2],
    [4, 3],
  ])('%d of them keep the rules over 32 bars', (n, seed) => {
    const notes = made(seed);
    const lines = leadVoices(notes, voices(n));
    expect(lines).toHaveLength(n);
    let [strong, tones, sung] = [0, 0, 0];
    notes.forEach((note, i) => {
      const at = lines.map(l => l[i]);
      at.forEach((m, v) => {
        if (m === null) return;
        sung++;
        expect(m).toBeGreaterThanOrEqual(voices(n)[v].low);
        expect(m).toBeLessThanOrEqual(voices(n)[v].high);
        if (v && at[v - 1] !== null) expect(m).toBeLessThanOrEqual(at[v - 1]!);
        if (!note.strong) return;
        strong++;
        if (note.chord.includes(pitchClass(m))) tones++;
      });
    });
    expect(tones / strong).toBeGreaterThanOrEqual(0.95);
    expect(parallels(notes, lines)).toBeLessThanOrEqual(1);
    expect(sung / (notes.length * n)).toBeGreaterThan(0.95);
  });

  test('move little, and by step more than by leap', () => {
    const notes = made(5);
    for (const line of leadVoices(notes, voices(3))) {
      const moves = line.slice(1).flatMap((m, i) => (m === null || line[i] === null ? [] : [Math.abs(m - line[i])]));
      expect(moves.filter(d => d <= 2).length / moves.length).toBeGreaterThan(0.6);
      expect(Math.max(...moves)).toBeLessThanOrEqual(12);
    }
  });

  test('another way is another, the same for the same number, and as lawful', () => {
    const notes = made(8);
    const best = leadVoices(notes, voices(2));
    const other = leadVoices(notes, voices(2), 3);
    expect(other).not.toEqual(best);
    expect(leadVoices(notes, voices(2), 3)).toEqual(other);
    expect(leadVoices(notes, voices(2), 4)).not.toEqual(other);
    expect(parallels(notes, other)).toBeLessThanOrEqual(1);
  });

  test('one rests where its compass has nothing good for it', () => {
    const notes: LedNote[] = [
      { start: 0, end: 1, midi: 62, chord: [2, 6, 9], scale: D_MAJOR, leading: 1, strong: true },
    ];
    expect(leadVoices(notes, [{ low: 63, high: 64 }])).toEqual([[null]]);
    expect(leadVoices([], voices(2))).toEqual([[], []]);
  });

  test('without chords they keep to the key and to what sounds well with the line', () => {
    const notes = made(9).map(n => ({ ...n, chord: [] }));
    const [line] = leadVoices(notes, [{ low: 60, high: 74 }]);
    line.forEach((m, i) => {
      expect(D_MAJOR).toContain(pitchClass(m!));
      expect([1, 11]).not.toContain(pitchClass(m! - notes[i].midi));
    });
  });

  test('other ways for one note are within its compass, not what it sings, the best first', () => {
    const notes = made(4, 4);
    const compasses = voices(2);
    const led = leadVoices(notes, compasses);
    const others = otherWays(notes, compasses, led, 0, 3, 4);
    expect(others.length).toBeGreaterThan(1);
    expect(others).not.toContain(led[0][3]);
    for (const m of others) if (m !== null) expect(m >= compasses[0].low && m <= compasses[0].high).toBe(true);
  });

  test('more than four are not led', () => {
    expect(() => usualCompasses(5, 60)).toThrow(RangeError);
  });
});
