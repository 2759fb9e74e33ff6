import fc from 'fast-check';
import { AS_SUNG, editedLine, splitNotes, type NoteShape } from '.';

/** Lines as real voices sing them and made-up ones do not: slides that end before the border, holes, notes of a few frames. */
const piece = fc.record({
  frames: fc.integer({ min: 1, max: 90 }),
  cents: fc.integer({ min: -700, max: 700 }),
  slide: fc.integer({ min: -60, max: 60 }),
  swing: fc.integer({ min: 0, max: 120 }),
  /** How far the drawn border lies from where the voice goes over. */
  late: fc.integer({ min: -40, max: 40 }),
  hole: fc.integer({ min: 0, max: 4 }),
});

interface Piece {
  frames: number;
  cents: number;
  slide: number;
  swing: number;
  late: number;
  hole: number;
}

function lineOf(pieces: Piece[]) {
  const total = pieces.reduce((s, p) => s + p.frames + p.hole, 0) + 80;
  const sung = new Float64Array(total).fill(6000);
  const voiced = new Float64Array(total);
  const borders: number[] = [];
  let at = 20;
  for (const p of pieces) {
    borders.push(Math.max(borders.length ? borders[borders.length - 1] + 1 : 1, Math.min(total - 2, at + p.late)));
    for (let i = 0; i < p.frames; i++, at++) {
      sung[at] = 6000 + p.cents + (p.slide * i) / 10 + p.swing * Math.sin(i * 0.19);
      voiced[at] = 1;
    }
    at += p.hole;
  }
  const notes = borders.map((start, i) => ({ start, end: borders[i + 1] ?? Math.min(total, at) }));
  return { sung, voiced, notes: notes.filter(n => n.end > n.start) };
}

it('a note has a centre wherever the voice goes over, and no line holds what is no number', () => {
  fc.assert(
    fc.property(
      fc.array(piece, { minLength: 1, maxLength: 8 }),
      fc.record({
        rail: fc.option(fc.integer({ min: 5000, max: 7000 })),
        aim: fc.double({ min: 0, max: 1, noNaN: true }),
        wander: fc.double({ min: 0, max: 1, noNaN: true }),
        vibrato: fc.double({ min: 0, max: 2, noNaN: true }),
        glide: fc.option(fc.integer({ min: 0, max: 400 })),
      }),
      (pieces, asked) => {
        const { sung, voiced, notes } = lineOf(pieces);
        const split = splitNotes(sung, voiced, notes);
        expect(split.map(o => o.centre).filter(c => !Number.isFinite(c))).toEqual([]);
        const shape: NoteShape = { ...AS_SUNG, ...asked, scoop: 0.5, fall: 0 };
        const line = editedLine(
          sung,
          voiced,
          split,
          split.map(() => shape),
        );
        expect(Array.from(line).findIndex(v => !Number.isFinite(v))).toBe(-1);
      },
    ),
    { numRuns: 300, seed: 20 },
  );
});
