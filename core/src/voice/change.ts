import type { Layout } from './engine';
import type { PitchedSegment } from './epochs';
import type { Run } from './pulses';

/** A span of output samples, the last one excluded. */
export type SampleSpan = [from: number, to: number];

/** A filter rings on so long, s. */
const AROUND_SECONDS = 0.03;

/** Less of a run than this is rendered again along with the rest, frames. */
const LEAST_SAME = 20;

/** Spans in which a plan makes anything but the recording; in order, those that meet made one. */
export function editedSpans(layout: Layout): SampleSpan[] {
  const spans: SampleSpan[] = layout.runs.map(r => r.bounds);
  const { levelDb, tone } = layout.plan;
  if (!layout.line.natural) spans.push([0, layout.length]);
  if (levelDb) spans.push(...colourSpans(layout, k => levelDb[k] !== 0));
  if (tone) {
    const n = tone.bands.length;
    spans.push(...colourSpans(layout, k => tone.gainsDb.subarray(k * n, (k + 1) * n).some(g => g !== 0)));
  }
  spans.push(...patchedSpans(layout));
  return merged(spans, layout.length);
}

/** What was put otherwise in the recording, where it is heard. */
const patchedSpans = ({ plan, line, rate }: Layout): SampleSpan[] =>
  (plan.patched ?? []).map(p => [
    line.forward(p.start * rate) - PATCH_AROUND,
    line.forward(p.end * rate) + PATCH_AROUND,
  ]);
const PATCH_AROUND = 64;

/**
 * Spans in which two layouts of the same recording may sound otherwise: of a note that was changed, from the join before it at which the
 * voice stands in phase whatever comes, to the next such join.
 * @param before null: nothing was edited
 */
export function changedSpans(before: Layout | null, after: Layout): SampleSpan[] {
  if (!before) return editedSpans(after);
  if (before.length !== after.length) return [[0, Math.max(before.length, after.length)]];
  const spans: SampleSpan[] = [];
  const [then, now] = [new Set(before.runs), new Set(after.runs)];
  const old = before.runs.filter(r => !now.has(r));
  const made = after.runs.filter(r => !then.has(r));
  const bySegment = new Map<PitchedSegment, { old: Run[]; made: Run[] }>();
  const of = (r: Run) => {
    let both = bySegment.get(r.segment);
    if (!both) bySegment.set(r.segment, (both = { old: [], made: [] }));
    return both;
  };
  for (const r of old) of(r).old.push(r);
  for (const r of made) of(r).made.push(r);
  for (const [segment, both] of bySegment) spans.push(...changedRuns(before, after, segment, both.old, both.made));
  if (before.line !== after.line && !(before.line.natural && after.line.natural))
    spans.push(...frames(after, k => before.line.forward(k) !== after.line.forward(k)));
  const [p, q] = [before.plan, after.plan];
  if (p.levelDb !== q.levelDb) spans.push(...colourSpans(after, k => (p.levelDb?.[k] ?? 0) !== (q.levelDb?.[k] ?? 0)));
  if (p.tone !== q.tone) {
    const n = (p.tone ?? q.tone!).bands.length;
    const gain = (t: typeof p.tone, i: number) => t?.gainsDb[i] ?? 0;
    spans.push(
      ...colourSpans(after, k => {
        for (let i = k * n; i < (k + 1) * n; i++) if (gain(p.tone, i) !== gain(q.tone, i)) return true;
        return false;
      }),
    );
  }
  if (p.patched !== q.patched) spans.push(...patchedSpans(before), ...patchedSpans(after));
  return merged(spans, after.length);
}

/** Whether two plans ask the same of a frame's pitch, formants and time. */
export function sameFrame(a: Layout, b: Layout, k: number): boolean {
  const [p, q] = [a.plan, b.plan];
  const t = k * p.hop * a.rate;
  return (
    p.offsetCents[k] === q.offsetCents[k] &&
    p.active[k] === q.active[k] &&
    (p.formantCents?.[k] ?? 0) === (q.formantCents?.[k] ?? 0) &&
    a.line.forward(t) === b.line.forward(t)
  );
}

/** What of one voiced run sounds otherwise. */
function changedRuns(before: Layout, after: Layout, s: PitchedSegment, old: Run[], made: Run[]): SampleSpan[] {
  const all = [...old, ...made];
  const whole: SampleSpan[] = all.map(r => r.bounds);
  let first = -1;
  let last = -1;
  for (let k = s.firstFrame; k < s.lastFrame; k++)
    if (!sameFrame(before, after, k)) {
      if (first < 0) first = k;
      last = k;
    }
  // the voice itself is cut or joined otherwise
  if (first < 0 || old.length !== 1 || made.length !== 1) return whole;
  // too little is the same to be worth laying both
  const same = (r: Run) => Math.max(0, first - r.firstFrame) + Math.max(0, r.lastFrame - 1 - last);
  if (Math.max(same(old[0]), same(made[0])) < LEAST_SAME) return whole;
  const [a, b] = [old[0].laid, made[0].laid];
  if (!a || !b) return whole;
  const step = after.plan.hop * after.rate;
  const anchors = (l: typeof a) => l.anchors.map(i => l.source[i]);
  const theirs = new Set(anchors(a));
  const common = anchors(b).filter(t => theirs.has(t));
  const around = Math.max(a.weighed, b.weighed);
  const start = common.findLast(t => t + around < (first - 1) * step);
  const end = common.find(t => t - around > (last + 1) * step);
  const bounds = [Math.min(...whole.map(w => w[0])), Math.max(...whole.map(w => w[1]))];
  return [
    [
      start === undefined ? bounds[0] : after.line.forward(start) - around - Math.max(a.ahead, b.ahead),
      end === undefined ? bounds[1] : after.line.forward(end) + around + Math.max(a.behind, b.behind),
    ],
  ];
}

/** Spans of frames of which something is true, with what a filter needs around them. */
function colourSpans(layout: Layout, of: (frame: number) => boolean): SampleSpan[] {
  const step = layout.plan.hop * layout.rate;
  const around = 2 * AROUND_SECONDS * layout.rate;
  const out: SampleSpan[] = [];
  for (let k = 0; k < layout.plan.active.length; k++)
    if (of(k)) {
      const from = layout.line.forward((k - 1) * step) - around;
      const to = layout.line.forward((k + 1) * step) + around;
      const previous = out[out.length - 1];
      if (previous && from <= previous[1]) previous[1] = to;
      else out.push([from, to]);
    }
  return out;
}

/** The same for a truth of source samples. */
const frames = (layout: Layout, of: (t: number) => boolean): SampleSpan[] =>
  colourSpans(layout, k => of(k * layout.plan.hop * layout.rate));

function merged(spans: SampleSpan[], length: number): SampleSpan[] {
  const out: SampleSpan[] = [];
  for (const [a, b] of [...spans].sort((p, q) => p[0] - q[0])) {
    const [from, to] = [Math.max(0, Math.floor(a)), Math.min(length, Math.ceil(b))];
    if (to <= from) continue;
    const last = out[out.length - 1];
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}
