import { hzToCents, median, type Reading } from '@essim/core';
import type { Truth } from '@essim/demo';

/** How well a reading agrees with what was really sung. Shares are 0..1. */
export interface ReadingScore {
  within50: number;
  within10: number;
  medianCents: number;
  recall: number;
  falseAlarm: number;
  noteF1: number;
  noteF1WithOffset: number;
  centreCents: number;
  /** Shift in ms at which reading and truth agree best. */
  lagMs: number;
  sibilant: number;
  plosive: number;
  breath: number;
}

export function compareReading(reading: Reading, truth: Truth): ReadingScore {
  const errors = pitchErrors(reading, truth, 0);
  const n = Math.min(reading.f0.length, truth.f0.length);
  let voiced = 0;
  let found = 0;
  let unvoiced = 0;
  let alarms = 0;
  for (let k = 0; k < n; k++)
    if (truth.f0[k] > 0) {
      voiced++;
      if (reading.f0[k] > 0) found++;
    } else {
      unvoiced++;
      if (reading.f0[k] > 0) alarms++;
    }
  const share = (limit: number) => errors.filter(e => e <= limit).length / errors.length;
  const onset = matchNotes(reading, truth, false);
  let lagMs = 0;
  let least = Infinity;
  for (let ms = -15; ms <= 15; ms++) {
    const e = median(pitchErrors(reading, truth, ms / 1000));
    if (e < least) {
      least = e;
      lagMs = ms;
    }
  }
  const f1Of = (kind: 'sibilant' | 'plosive' | 'breath') => noiseF1(reading, truth, kind);
  return {
    within50: share(50),
    within10: share(10),
    medianCents: median(errors),
    recall: found / voiced,
    falseAlarm: alarms / unvoiced,
    noteF1: onset.f1,
    noteF1WithOffset: matchNotes(reading, truth, true).f1,
    centreCents: median(onset.centreErrors),
    lagMs,
    sibilant: f1Of('sibilant'),
    plosive: f1Of('plosive'),
    breath: f1Of('breath'),
  };
}

/** Cents off in every frame both call voiced; the reading moved earlier by the shift in seconds. */
function pitchErrors(reading: Reading, truth: Truth, shift: number): number[] {
  const out: number[] = [];
  for (let k = 0; k < truth.f0.length; k++) {
    const at = k + shift / truth.hop;
    const i = Math.floor(at);
    const u = at - i;
    const a = reading.f0[i];
    const b = reading.f0[i + 1];
    if (!(truth.f0[k] > 0) || !(a > 0) || !(u === 0 || b > 0)) continue;
    const read = u === 0 ? hzToCents(a) : hzToCents(a) * (1 - u) + hzToCents(b) * u;
    out.push(Math.abs(read - hzToCents(truth.f0[k])));
  }
  return out;
}

function matchNotes(reading: Reading, truth: Truth, withOffset: boolean) {
  const used = new Set<number>();
  const centreErrors: number[] = [];
  for (const t of truth.notes) {
    const i = reading.notes.findIndex(
      (r, j) =>
        !used.has(j) &&
        Math.abs(r.start - t.voiceStart) <= 0.05 &&
        Math.abs(r.pitch - t.sung) <= 0.5 &&
        (!withOffset || Math.abs(r.end - t.end) <= Math.max(0.05, 0.2 * (t.end - t.start))),
    );
    if (i < 0) continue;
    used.add(i);
    centreErrors.push(Math.abs(reading.notes[i].pitch - t.sung) * 100);
  }
  const hits = used.size;
  return { f1: (2 * hits) / (reading.notes.length + truth.notes.length), centreErrors };
}

function noiseF1(reading: Reading, truth: Truth, kind: 'sibilant' | 'plosive' | 'breath'): number {
  const want = truth.noises.filter(n => n.kind === kind);
  const got = reading.noises.filter(n => n.kind === kind);
  if (!want.length) return got.length ? 0 : 1;
  const meets = (a: { start: number; end: number }, b: { start: number; end: number }) =>
    a.start < b.end + 0.01 && b.start < a.end + 0.01;
  const hits = want.filter(w => got.some(g => meets(g, w))).length;
  const others = truth.noises.filter(n => n.kind === 'fricative' || n.kind === 'aspirate' || n.kind === 'click');
  const judged = got.filter(g => want.some(w => meets(g, w)) || !others.some(o => meets(g, o)));
  const right = judged.filter(g => want.some(w => meets(g, w))).length;
  const recall = hits / want.length;
  const precision = judged.length ? right / judged.length : 0;
  return recall + precision ? (2 * recall * precision) / (recall + precision) : 0;
}
