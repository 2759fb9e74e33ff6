import {
  floatsOf,
  layOut,
  neutralPlan,
  quantile,
  renderSpan,
  type ReadNote,
  type VoiceAnalysis,
  type VoicePlan,
} from '@essim/core';

/** Joins of edits with the voice as sung: how far the sharpest corner near one stands out, dB over the same place of the take. */

/** An edit of one note alone. */
export interface JoinEdit {
  name: string;
  cents: number;
  formant?: number;
}
export const JOIN_EDITS: JoinEdit[] = [
  { name: '+45 c', cents: 45 },
  { name: '-12', cents: -1200 },
  { name: '+12', cents: 1200 },
  { name: 'formant -4', cents: 0, formant: -400 },
  { name: 'formant +4', cents: 0, formant: 400 },
];
/** The edit begins and ends so far inside its note, s. */
const INSIDE = 0.02;
const SHORTEST_FRAMES = 16;
/** A join that stands out by more is heard as a crack, dB. */
const CRACK_DB = 6;

export interface Join {
  /** Seconds. */
  at: number;
  over: number;
  /** How far from the edit a sample has changed, ms. */
  reach: number;
}

/** Every note of a take edited by itself, and what its two joins are like. */
export function joinsOfNotes(
  voice: VoiceAnalysis,
  notes: readonly Pick<ReadNote, 'start' | 'end'>[],
  { cents, formant }: JoinEdit,
): Join[] {
  const { sampleRate: rate, hop, frames } = voice;
  const out: Join[] = [];
  for (const n of notes) {
    const plan: VoicePlan = neutralPlan(frames, hop);
    const [a, b] = [Math.round((n.start + INSIDE) / hop), Math.round((n.end - INSIDE) / hop)];
    if (b - a < SHORTEST_FRAMES) continue;
    plan.offsetCents.fill(cents, a, b);
    plan.active.fill(1, a, b);
    if (formant) plan.formantCents = new Float32Array(frames).fill(formant, a, b);
    const layout = layOut(voice, plan);
    const from = Math.max(0, Math.round((n.start - 0.1) * rate));
    const to = Math.min(voice.length, Math.round((n.end + 0.1) * rate));
    const y = new Float32Array(to - from);
    renderSpan(voice, layout, 0, from, to, y);
    const x = floatsOf(voice.channels[0], from, to);
    const first = y.findIndex((v, i) => v !== x[i]);
    if (first < 0) continue;
    let last = y.length - 1;
    while (last > first && y[last] === x[last]) last--;
    const reach = (i: number, frame: number) => Math.abs((i + from) / rate - frame * hop) * 1000;
    for (const [t, changed] of [
      [a * hop, reach(first, a)],
      [b * hop, reach(last, b)],
    ]) {
      const i = Math.round(t * rate) - from;
      out.push({ at: t, over: crest(y, i, rate) - crest(x, i, rate), reach: changed });
    }
  }
  return out;
}

/** Peak of the second difference over its mean within 20 ms: a click stands out of it. dB */
function crest(x: Float32Array, at: number, rate: number): number {
  const half = Math.round(0.01 * rate);
  let [peak, sum] = [1e-12, 1e-12];
  for (let i = Math.max(2, at - half); i < Math.min(x.length, at + half); i++) {
    const d = x[i] - 2 * x[i - 1] + x[i - 2];
    peak = Math.max(peak, Math.abs(d));
    sum += (d * d) / (2 * half);
  }
  return 20 * Math.log10(peak / Math.sqrt(sum));
}

/** Takes as they are told, under each edit. */
export function scoreJoins(
  takes: readonly { kind: string; voice: VoiceAnalysis; notes: readonly ReadNote[] }[],
): Record<string, string | number>[] {
  return [...new Set(takes.map(t => t.kind))].flatMap(kind =>
    JOIN_EDITS.map(edit => {
      const joins = takes.filter(t => t.kind === kind).flatMap(t => joinsOfNotes(t.voice, t.notes, edit));
      const over = joins.map(j => j.over);
      return {
        of: kind,
        edit: edit.name,
        joins: joins.length,
        'crest over as sung, 95 %, dB': quantile(over, 0.95),
        worst: Math.max(...over),
        'over 6 dB': over.filter(o => o > CRACK_DB).length,
        'changed beyond the edit, 95 %, ms': quantile(
          joins.map(j => j.reach),
          0.95,
        ),
      };
    }),
  );
}
