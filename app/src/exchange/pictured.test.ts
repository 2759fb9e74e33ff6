import { asWhole, readTake } from '@essim/core';
import { singPhrases } from '@essim/demo';
import { pictured } from './pictured';

const { samples, truth } = singPhrases([0, 1], { seed: 3 });
const rate = truth.sampleRate;
const reading = readTake(samples, rate);

test('a picture shows the notes, and is loud where they are', () => {
  const { seconds, loud, notes } = pictured(reading);
  expect(seconds).toBe(reading.duration);
  expect(notes.map(n => n.pitch)).toEqual(reading.notes.map(n => n.pitch));
  const bar = (t: number) => loud[Math.floor((t / seconds) * loud.length)];
  const longest = reading.notes.reduce((a, b) => (b.end - b.start > a.end - a.start ? b : a));
  expect(bar((longest.start + longest.end) / 2)).toBeGreaterThan(0.5);
  expect(loud[0]).toBeLessThan(0.2);
  expect(Math.min(...loud)).toBeGreaterThanOrEqual(0);
  expect(Math.max(...loud)).toBeLessThanOrEqual(1);
});

test('of a beginning it shows that alone, as large', () => {
  const until = 0.6 * reading.duration;
  const head = readTake(samples.subarray(0, Math.round(until * rate)), rate);
  const picture = pictured(asWhole(head, reading.duration), until);
  expect(picture.seconds).toBe(until);
  expect(picture.notes).toEqual(pictured(head).notes);
  expect(picture.loud).toHaveLength(pictured(head).loud.length);
  picture.loud.forEach((share, i) => expect(share).toBeCloseTo(pictured(head).loud[i], 1));
});
