import fc from 'fast-check';
import type { NoteEdit } from './document';
import { editsInOrder, matchEdits, withNoteEdits } from './match';

const at = (start: number, end: number, fields: Partial<NoteEdit> = {}): NoteEdit => ({ start, end, ...fields });
let made = 0;
const newId = () => `new-${++made}`;
const set = (edits: Record<string, NoteEdit>, notes: NoteEdit[], changes: Record<number, NoteEdit | null>) =>
  withNoteEdits(edits, notes, new Map(Object.entries(changes).map(([k, e]) => [Number(k), e])), newId);

describe('edits find their notes', () => {
  const edits = { a: at(0, 1, { target: 60 }), b: at(1, 2, { target: 62 }) };

  it('by overlap, whatever their ids', () => {
    expect(matchEdits([at(0.05, 1), at(1, 2.1), at(3, 4)], edits)).toEqual(['a', 'b', undefined]);
  });

  it('when a border was moved: tuning a note whose start moved tunes that note, and as sung takes it off', () => {
    // the second note now begins inside what was the first
    const notes = [at(0, 0.6), at(0.6, 2)];
    expect(matchEdits(notes, edits)).toEqual(['a', 'b']);
    const tuned = set(edits, notes, { 1: { ...edits.b, target: 64 } });
    expect(tuned).toEqual({ a: edits.a, b: at(0.6, 2, { target: 64 }) });
    expect(set(edits, notes, { 1: null })).toEqual({ a: edits.a });
  });

  it('when a note was cut: every piece keeps what was decided, and is then decided by itself', () => {
    const notes = [at(0, 0.5), at(0.5, 1), at(1, 2)];
    expect(matchEdits(notes, edits)).toEqual(['a', 'a', 'b']);
    const tuned = set(edits, notes, { 1: { ...edits.a, target: 65 } });
    expect(editsInOrder(notes, tuned).map(e => e?.target)).toEqual([60, 65, 62]);
    const without = set(edits, notes, { 0: null });
    expect(editsInOrder(notes, without).map(e => e?.target)).toEqual([undefined, 60, 62]);
  });

  it('when notes were joined: the one that covers more counts, and what lay unseen inside goes with the next edit', () => {
    const joined = [at(0, 2.2)];
    const long = { a: at(0, 0.8, { target: 60 }), b: at(0.8, 2.2, { target: 62 }) };
    expect(matchEdits(joined, long)).toEqual(['b']);
    expect(set(long, joined, { 0: at(0, 2.2, { target: 64 }) })).toEqual({ b: at(0, 2.2, { target: 64 }) });
    expect(set(long, joined, { 0: null })).toEqual({});
  });

  it('however many notes there are, as comparing each with each would', () => {
    const spans = fc.array(fc.tuple(fc.nat(200), fc.integer({ min: 1, max: 30 })), { maxLength: 30 });
    fc.assert(
      fc.property(spans, spans, (n, e) => {
        const notes = n.map(([s, l]) => at(s / 10, (s + l) / 10)).sort((p, q) => p.start - q.start);
        const list = Object.fromEntries(e.map(([s, l], i) => [`e${i}`, at(s / 10, (s + l) / 10)]));
        const best = notes.map(note => {
          let most = 0;
          for (const q of Object.values(list)) {
            const o = Math.min(q.end, note.end) - Math.max(q.start, note.start);
            if (o > 0 && o > 0.5 * Math.min(q.end - q.start, note.end - note.start)) most = Math.max(most, o);
          }
          return most;
        });
        matchEdits(notes, list).forEach((id, k) => {
          if (!id) return expect(best[k]).toBe(0);
          const q = list[id];
          expect(Math.min(q.end, notes[k].end) - Math.max(q.start, notes[k].start)).toBeCloseTo(best[k], 1);
        });
      }),
    );
  });

  it('setting an edit sets it on that note and on no other', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(8), fc.integer({ min: 1, max: 9 })), { minLength: 1, maxLength: 12 }),
        fc.array(fc.tuple(fc.nat(60), fc.integer({ min: 1, max: 20 })), { maxLength: 12 }),
        fc.nat(11),
        (n, e, which) => {
          let end = 0;
          const notes = n.map(([rest, l]) => {
            const start = end + rest / 10;
            end = start + l / 10;
            return at(start, end);
          });
          const list = Object.fromEntries(e.map(([s, l], i) => [`e${i}`, at(s / 10, (s + l) / 10, { target: i })]));
          const k = which % notes.length;
          const before = editsInOrder(notes, list).map(q => q?.target);
          const now = editsInOrder(notes, set(list, notes, { [k]: at(0, 0, { target: 99 }) })).map(q => q?.target);
          expect(now[k]).toBe(99);
          before.forEach((target, i) => i !== k && expect(now[i]).toBe(target));
        },
      ),
    );
  });
});
