import { added, joined, nextAlike, ofLine, parted, retimed, toggled } from './by-hand';
import type { Candidate } from './unpick';

const note = (line: number, midi: number, start: number, end: number, is: Candidate['is'] = 'taken'): Candidate => ({
  line,
  midi,
  start,
  end,
  strength: 0.5,
  is,
});
const notes = [
  note(0, 66, 0, 1),
  note(1, 62, 0, 1),
  note(0, 66.2, 1.1, 2),
  note(1, 59, 1.1, 2),
  note(0, 74, 3, 4, 'weak'),
];

describe('what was unpicked, put right by hand', () => {
  it('is taken out and in, others as they are', () => {
    const out = toggled(notes, 1);
    expect(out.map(n => n.is)).toEqual(['taken', 'weak', 'taken', 'taken', 'weak']);
    expect(toggled(out, 1)).toEqual(notes);
    expect(toggled(notes, 4)[4].is).toBe('taken');
    expect(toggled([note(0, 50, 0, 1, 'played')], 0)[0].is).toBe('taken');
    expect(notes[1].is).toBe('taken');
  });

  it('moves in time and pitch, and never turns over', () => {
    expect(retimed(notes, 0, { start: 0.3 })[0]).toMatchObject({ start: 0.3, end: 1, midi: 66 });
    expect(retimed(notes, 0, { start: 5 })[0].start).toBeCloseTo(0.95, 9);
    expect(retimed(notes, 2, { end: 0 })[2]).toMatchObject({ start: 1.1 });
    expect(retimed(notes, 2, { end: 0 })[2].end).toBeCloseTo(1.15, 9);
    expect(retimed(notes, 0, { start: -1, end: 0.5 })[0]).toMatchObject({ start: 0, end: 0.5 });
    expect(retimed(notes, 4, { midi: 200 })[4]).toMatchObject({ midi: 127, is: 'taken' });
  });

  it('is sung anew where it is cut, and not at an end', () => {
    const two = parted(notes, 2, 1.6);
    expect(two).toHaveLength(6);
    expect(two.filter(n => n.midi === 66.2).map(n => [n.start, n.end])).toEqual([
      [1.1, 1.6],
      [1.6, 2],
    ]);
    expect(parted(notes, 2, 1.11)).toBe(notes);
  });

  it('is one with the next of its line and pitch, and with no other', () => {
    expect(nextAlike(notes, 0)).toBe(2);
    expect(nextAlike(notes, 1)).toBeNull();
    const one = joined(notes, 0);
    expect(one).toHaveLength(4);
    expect(one[0]).toMatchObject({ start: 0, end: 2 });
    expect(one[0].midi).toBeGreaterThan(66);
    expect(one[0].midi).toBeLessThan(66.2);
    expect(joined(notes, 1)).toBe(notes);
    const far = [note(0, 66, 0, 1), note(0, 66, 5, 6)];
    expect(joined(far, 0)).toBe(far);
  });

  it('gains notes, in the line that is free and near, and changes singers', () => {
    const more = added(notes, { start: 3, end: 3.4, midi: 60 });
    expect(more[more.findIndex(n => n.start === 3 && n.midi === 60)]).toMatchObject({ line: 1, is: 'taken' });
    // the near line sings there already
    expect(added(notes, { start: 1.3, end: 1.6, midi: 60 }).find(n => n.midi === 60)!.line).toBe(1);
    expect(added([], { start: 1, end: 2, midi: 60 })).toHaveLength(1);
    expect(ofLine(notes, 0, 1)[0]).toMatchObject({ line: 1, midi: 66 });
  });
});
