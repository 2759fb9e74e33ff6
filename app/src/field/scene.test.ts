import { scaleOfKey, semitones, type NoteEdit, type NoteFacts } from '@essim/core';
import { phraseText, sceneNotes } from './scene';

const facts: NoteFacts[] = [
  { key: 'n1000', start: 1, end: 1.5, onset: 1, sung: 63.39 },
  { key: 'n1500', start: 1.5, end: 2, onset: 1.5, sung: 61.9 },
];
const words = [
  { text: 'till', start: 0.98, end: 1.48 },
  { text: 'morning', start: 1.5, end: 2.6 },
];
const key = scaleOfKey({ tonic: 2, mode: 'major' });
const scene = (edits: Record<string, NoteEdit> = {}, scale = key) =>
  sceneNotes({ facts, edits, words, selected: new Set(['n1500']), scaleAt: () => scale });

describe('what the field draws of a note', () => {
  it('puts an unedited note on the rail of the nearest allowed step and tells what is off', () => {
    const [hear, next] = scene();
    expect(hear).toMatchObject({ from: 1, to: 1.5, rail: 64, offCents: -61, selected: false, word: 'till' });
    expect(next).toMatchObject({ rail: 62, offCents: -10, selected: true, word: 'morning' });
    expect(scene({}, semitones())[0]).toMatchObject({ rail: 63, offCents: 39 });
  });

  it('tells what is left after the edit, by its Aim', () => {
    const edit = (aim?: number): NoteEdit => ({ start: 1, end: 1.5, target: 64, aim });
    expect(scene({ n1000: edit() })[0].offCents).toBe(0);
    expect(scene({ n1000: edit(50) })[0].offCents).toBe(-30);
    expect(scene({ n1000: edit(0) })[0].offCents).toBe(-61);
  });

  it('is found anew when its edit or the steps change, and only then', () => {
    const asked: number[] = [];
    const told = new Proxy(key, {
      get: (of, name) => {
        asked.push(1);
        return Reflect.get(of, name) as unknown;
      },
    });
    const edits: Record<string, NoteEdit> = { n1000: { start: 1, end: 1.5, target: 64 } };
    const first = scene(edits, told);
    expect(asked.length).toBeGreaterThan(0);
    asked.length = 0;
    expect(scene(edits, told)).toEqual(first);
    expect(asked).toEqual([]);
    expect(scene({ n1000: { start: 1, end: 1.5, target: 65 } }, told)[0]).toMatchObject({ rail: 65 });
    expect(scene({}, semitones())[0]).toMatchObject({ rail: 63, offCents: 39 });
    expect(scene({}, key)[0]).toMatchObject({ rail: 64, offCents: -61 });
  });

  it('tells what is left where a follower leans, whatever its edits say', () => {
    const sung = new Float32Array(400).fill(63.39);
    const now = sung.map((v, k) => (k < 300 ? v + 0.4 : NaN));
    const lines = { sung, now, hop: 0.005 };
    const [hear, next] = sceneNotes({ facts, edits: {}, words, selected: new Set(), scaleAt: () => key, lines });
    expect(hear.offCents).toBe(-21);
    expect(next.offCents).toBe(-10);
  });

  it('joins the words of a phrase', () => {
    expect(phraseText({ start: 1, end: 2 }, words)).toBe('till morning');
    expect(phraseText({ start: 5, end: 6 }, words)).toBe('');
  });
});
