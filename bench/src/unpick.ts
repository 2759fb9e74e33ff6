import { evidenceOf, unpickedNotes, type UnpickedNote } from '@essim/core';
import { backing, heldChords, singChord, type SungChord } from '@essim/demo';

/** Recorded chords taken apart: notes found, and whose they are, against what was sung. */

/** Phrases and seeds that nothing was tuned on come second. */
const SETS: readonly [name: string, phrases: number[], seed: number][] = [
  ['tuned on', [1, 2, 3], 41],
  ['looked at', [0, 5, 7], 641],
  ['kept apart', [2, 4, 6], 977],
];

interface Counts {
  onset: number;
  any: number;
  line: number;
}

function compared(notes: readonly UnpickedNote[], { lines }: SungChord): Counts {
  const truth = lines.flatMap((list, line) => list.map(n => ({ ...n, line })));
  const f1 = (near: (n: UnpickedNote, t: (typeof truth)[number]) => boolean) => {
    const used = new Set<number>();
    let hit = 0;
    for (const t of truth) {
      const i = notes.findIndex((n, k) => !used.has(k) && Math.abs(n.midi - t.sung) < 0.5 && near(n, t));
      if (i < 0) continue;
      used.add(i);
      hit++;
    }
    return (2 * hit) / Math.max(1, notes.length + truth.length);
  };
  const overlap = (n: UnpickedNote, t: { start: number; end: number }) =>
    Math.min(n.end, t.end) - Math.max(n.start, t.start);
  const found = truth.flatMap(t => {
    const n = notes.find(q => Math.abs(q.midi - t.sung) < 0.5 && overlap(q, t) > 0.1);
    return n ? [n.line === t.line] : [];
  });
  return {
    onset: f1((n, t) => Math.min(Math.abs(n.start - t.start), Math.abs(n.start - t.voiceStart)) < 0.08),
    any: f1((n, t) => overlap(n, t) > 0.1),
    line: found.filter(Boolean).length / Math.max(1, found.length),
  };
}

export function scoreUnpick(): Record<string, string | number>[] {
  const rows: Record<string, string | number>[] = [];
  for (const [set, phrases, seed] of SETS)
    for (const [who, voices, pad] of [
      ['two', 2, null],
      ['three', 3, null],
      ['four', 4, null],
      ['three with a pad', 3, 'pad'],
      ['three with a piano', 3, 'piano'],
      ['three over a band', 3, 'band'],
    ] as const) {
      const chord = singChord(voices, [...phrases], seed + voices);
      const under = pad && (pad === 'pad' ? heldChords() : backing({ pianoAlone: pad === 'piano' })[0]);
      const samples = under ? chord.samples.map((v, i) => v + 0.35 * (under[i] ?? 0)) : chord.samples;
      const begun = performance.now();
      const evidence = evidenceOf(samples, 48000)!;
      const speed = samples.length / 48 / (performance.now() - begun);
      const compasses = chord.lines.map(list => ({
        low: Math.min(...list.map(n => n.midi)) - 2,
        high: Math.max(...list.map(n => n.midi)) + 2,
      }));
      for (const [said, options] of [
        ['nothing', {}],
        ['how many', { voices }],
        ['compasses', { compasses }],
      ] as const) {
        const { onset, any, line } = compared(unpickedNotes(evidence, options), chord);
        rows.push({
          set,
          who,
          said,
          F1: onset,
          'F1, any onset': any,
          'right line': line,
          speed,
        });
      }
    }
  return rows;
}
