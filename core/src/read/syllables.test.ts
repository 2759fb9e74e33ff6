import { HOP } from './reading';
import { editableSpans, spokenSyllables } from './syllables';

/** Talk of syllables that rise and sink in level, voiced throughout or with gaps. @param each start and end of a syllable's voice, s */
function talk(each: readonly [start: number, end: number][], depth = 12) {
  const frames = 400;
  const f0 = new Float32Array(frames);
  const vowelsDb = new Float32Array(frames).fill(-90);
  for (const [start, end] of each)
    for (let k = Math.round(start / HOP); k < Math.round(end / HOP); k++) {
      const u = (k * HOP - start) / (end - start);
      f0[k] = 140 + 30 * Math.sin(6 * k * HOP);
      vowelsDb[k] = -20 - depth * Math.abs(2 * u - 1) ** 2;
    }
  const [first, last] = [each[0][0], each[each.length - 1][1]];
  return { f0, vowelsDb, spoken: [{ start: first, end: last }] };
}

describe('syllables of what is spoken', () => {
  const each: [number, number][] = [
    [0.2, 0.4],
    [0.4, 0.62],
    [0.75, 0.95],
  ];

  it('lie between the dips of the vowels’ band, and begin and end with the voice', () => {
    const found = spokenSyllables(talk(each));
    expect(found).toHaveLength(3);
    found.forEach((s, i) => {
      expect(Math.abs(s.start - each[i][0])).toBeLessThan(0.02);
      expect(Math.abs(s.end - each[i][1])).toBeLessThan(0.02);
      expect(s.onset).toBeGreaterThanOrEqual(s.start);
      expect(s.onset).toBeLessThan((s.start + s.end) / 2);
    });
  });

  it('are not cut by a slight swell', () => {
    const held = talk([[0.2, 0.6]]);
    for (let k = 75; k < 80; k++) held.vowelsDb[k] -= 1.5;
    expect(spokenSyllables(held)).toHaveLength(1);
  });

  it('come after the notes where edits find what they are made for', () => {
    const reading = { ...talk(each), notes: [{ start: 1.2, end: 1.6, onset: 1.2, pitch: 60 }] };
    const spans = editableSpans(reading);
    expect(spans).toHaveLength(4);
    expect(spans[0]).toBe(reading.notes[0]);
    expect(editableSpans(reading)).toBe(spans);
    const sung = { ...reading, spoken: [] };
    expect(editableSpans(sung)).toBe(sung.notes);
  });
});
