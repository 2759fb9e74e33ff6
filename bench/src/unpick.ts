import { evidenceOf, unpickedNotes, type UnpickedNote } from '@essim/core';
import { backing, singChord, type SungChord } from '@essim/demo';

/** Recorded chords taken apart: notes found, and whose they are, against what was sung. */

/** Phrases and seeds that nothing was tuned on come second. */
const SETS: readonly [name: string, phrases: number[], seed: number][] = [
  ['tuned on', [1, 2, 3], 41],
  ['kept apart', [0, 5, 7], 641],
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
      ['two', 2, false],
      ['three', 3, false],
      ['four', 4, false],
      ['three with a piano', 3, true],
    ] as const) {
      const chord = singChord(voices, [...phrases], seed + voices);
      const under = pad ? backing()[0] : null;
      const samples = under ? chord.samples.map((v, i) => v + 0.35 * (under[i] ?? 0)) : chord.samples;
      const begun = performance.now();
      const evidence = evidenceOf(samples, 48000)!;
      const speed = samples.length / 48 / (performance.now() - begun);
      for (const said of [true, false]) {
        const { onset, any, line } = compared(unpickedNotes(evidence, said ? { voices } : {}), chord);
        rows.push({
          set,
          who,
          'voices said': said ? 'yes' : 'no',
          F1: onset,
          'F1, any onset': any,
          'right line': line,
          speed,
        });
      }
    }
  return rows;
}
