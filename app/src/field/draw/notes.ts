import type { NoiseKind } from '@essim/core';
import type { Scene, SceneNote } from '../scene';
import { RAIL_HALF, xOf, yOf } from '../viewport';
import { box, fade, fitted, font, line, type Pen } from './shapes';
import { drawSpan, drawSpoken } from './stretches';

const LEVELS = 5;
const TAG_CENTS = 15;

/** Pitch lines, rails, tags and words, noise and level lanes: what changes with edits. */
export function drawVoice(pen: Pen, s: Scene): void {
  const { layout: l } = s;
  pen.clearRect(0, 0, l.width, l.height);
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, l.field.top, l.width - l.ladder, l.field.bottom - l.field.top);
  pen.clip();
  const visible = s.notes.filter(n => n.to > s.view.from && n.from < s.view.to);
  drawSpoken(pen, s);
  s.dress.under?.(pen, s);
  drawRails(pen, s, visible);
  for (const other of s.others) drawThin(pen, s, other.line, fade(s.palette[other.colour], 0.55), 2, []);
  drawSungWhereMoved(pen, s);
  drawLine(pen, s);
  for (const n of visible) drawMarks(pen, s, n);
  s.dress.over?.(pen, s, visible);
  pen.restore();
  if (l.noises.bottom > l.noises.top) drawNoises(pen, s);
  if (s.span) drawSpan(pen, s, s.span);
  if (l.level.bottom > l.level.top) drawLevel(pen, s);
  s.dress.lanes?.(pen, s);
}

/** A rail narrower than this has no room for a dashed line, px. */
const NARROW_RAIL = 4;

/** Where notes are meant to be. Those that look alike are drawn in one go: a song of ten minutes has hundreds in view. */
function drawRails(pen: Pen, s: Scene, visible: readonly SceneNote[]): void {
  const { layout: l, palette: p, view: v } = s;
  const isMoved = (n: SceneNote) => n.edit?.target !== undefined;
  const inOne = (notes: readonly SceneNote[]) => {
    pen.beginPath();
    for (const n of notes) {
      const x0 = xOf(v, l, n.from);
      pen.roundRect(x0, yOf(v, l, n.rail) - RAIL_HALF, Math.max(0.5, xOf(v, l, n.to) - x0), 2 * RAIL_HALF, 5);
    }
  };
  for (const [chosen, moved, alpha] of [
    [false, false, 0.06],
    [false, true, 0.12],
    [true, false, 0.2],
    [true, true, 0.2],
  ] as const) {
    const notes = visible.filter(n => n.selected === chosen && isMoved(n) === moved);
    if (!notes.length) continue;
    inOne(notes);
    pen.fillStyle = fade(p.teal, alpha);
    pen.fill();
    if (chosen) {
      pen.strokeStyle = p.teal;
      pen.lineWidth = 1.4;
      pen.stroke();
    }
    pen.strokeStyle = fade(p.teal, moved ? 0.9 : 0.45);
    pen.lineWidth = 1;
    pen.setLineDash([2, 3]);
    pen.beginPath();
    for (const n of notes) {
      const [x0, x1, y] = [xOf(v, l, n.from), xOf(v, l, n.to), yOf(v, l, n.rail)];
      if (x1 - x0 < NARROW_RAIL) continue;
      pen.moveTo(x0, y);
      pen.lineTo(x1, y);
    }
    pen.stroke();
    pen.setLineDash([]);
  }
}

/** Frames of a take's line inside the view, thinned to about one a pixel. */
function visibleFrames(s: Scene, length: number): { first: number; last: number; step: number } {
  const hop = s.reading?.hop ?? 0.005;
  const first = Math.max(0, Math.floor(s.view.from / hop) - 1);
  const last = Math.min(length - 1, Math.ceil(s.view.to / hop) + 1);
  const perPixel = (last - first) / Math.max(1, s.layout.width - s.layout.ladder);
  return { first, last, step: Math.max(1, Math.floor(perPixel * 1.2)) };
}

/** From so many frames a pixel on a line is drawn thinner and without dashes: it goes up and down in every column. */
const COARSE = 8;

function drawThin(
  pen: Pen,
  s: Scene,
  y: Float32Array,
  colour: string,
  width: number,
  dash: number[],
  when: (k: number) => boolean = () => true,
): void {
  const hop = s.reading?.hop ?? 0.005;
  const { first, last, step } = visibleFrames(s, y.length);
  pen.strokeStyle = colour;
  pen.lineWidth = step < COARSE ? width : Math.min(width, 1);
  pen.setLineDash(step < COARSE ? dash : []);
  pen.lineJoin = step < COARSE ? 'round' : 'bevel';
  pen.beginPath();
  let down = false;
  for (let k = first; k <= last; k += step) {
    if (Number.isNaN(y[k]) || !when(k)) {
      down = false;
      continue;
    }
    const px = xOf(s.view, s.layout, k * hop);
    const py = yOf(s.view, s.layout, y[k]);
    if (down) pen.lineTo(px, py);
    else pen.moveTo(px, py);
    down = true;
  }
  pen.stroke();
  pen.setLineDash([]);
}

/** As sung, dashed, wherever the edit leaves it. */
function drawSungWhereMoved(pen: Pen, s: Scene): void {
  drawThin(pen, s, s.sungLine, s.palette.ink3, 1.2, [3, 2.5], k => Math.abs(s.line[k] - s.sungLine[k]) > 0.02);
}

/** The sung line as one ink stroke, darker where the voice is louder. */
function drawLine(pen: Pen, s: Scene): void {
  const { palette: p, view: v, layout: l, reading } = s;
  if (!reading) return;
  const y = s.edited ? s.line : s.sungLine;
  const { first, last, step } = visibleFrames(s, y.length);
  const paths = Array.from({ length: LEVELS }, () => new Path2D());
  const chosen = s.notes.filter(n => n.selected);
  const heavy = new Path2D();
  let before: [number, number, number] | null = null;
  // the path the line is on, and whether it is heavy: as long as nothing changes it goes on without a seam
  let on = -1;
  let isHeavy = false;
  let c = 0;
  const extend = (path: Path2D, goesOn: boolean, x: number, y: number) => {
    if (!goesOn) path.moveTo(before![0], before![1]);
    path.lineTo(x, y);
  };
  for (let k = first; k <= last; k += step) {
    if (Number.isNaN(y[k])) {
      before = null;
      on = -1;
      isHeavy = false;
      continue;
    }
    const t = k * reading.hop;
    const x = xOf(v, l, t);
    const py = yOf(v, l, y[k]);
    if (before) {
      const loud = Math.max(0, Math.min(LEVELS - 1, Math.floor((reading.levelDb[k] + 44) / 6.5)));
      extend(paths[loud], on === loud, x, py);
      on = loud;
      while (c < chosen.length && chosen[c].to < t) c++;
      const here = c < chosen.length && chosen[c].from <= t;
      if (here) extend(heavy, isHeavy, x, py);
      isHeavy = here;
    }
    before = [x, py, k];
  }
  const coarse = step >= COARSE;
  pen.lineCap = coarse ? 'butt' : 'round';
  pen.lineJoin = coarse ? 'bevel' : 'round';
  pen.lineWidth = coarse ? 1.6 : 3.2;
  paths.forEach((path, i) => {
    pen.strokeStyle = fade(p[s.colour], 0.35 + (0.65 * i) / (LEVELS - 1));
    pen.stroke(path);
  });
  pen.strokeStyle = s.colour === 'teal' ? p.tealDeep : p[s.colour];
  pen.lineWidth = coarse ? 2 : 4.2;
  pen.stroke(heavy);
  pen.lineCap = 'butt';
}

const WORD_NEAR_SEMITONES = 1.2;

/** A word under its note: where the line has arrived at the rail, and below the line. */
function drawWord(pen: Pen, s: Scene, n: SceneNote, x0: number, x1: number): void {
  const { layout: l, palette: p, view: v, reading } = s;
  if (!reading) return;
  pen.font = font(11);
  const text = fitted(pen, n.word!, Math.max(26, x1 - x0 + 6));
  const width = pen.measureText(text).width;
  const y = s.edited ? s.line : s.sungLine;
  const centre = s.edited && n.edit?.target !== undefined ? n.rail : n.sung;
  const frameAt = (x: number) =>
    Math.round((v.from + ((x - l.ladder) / (l.width - l.ladder)) * (v.to - v.from)) / reading.hop);
  const last = frameAt(Math.max(x0, x1 - width));
  let k = frameAt(x0);
  while (k < last && !(Math.abs(y[k] - centre) < WORD_NEAR_SEMITONES)) k++;
  const x = Math.max(x0, xOf(v, l, k * reading.hop));
  let below = yOf(v, l, Math.min(n.rail, centre)) + RAIL_HALF;
  for (let j = k; j <= frameAt(x + width + 4); j++)
    for (const m of [y[j], s.sungLine[j]]) if (Math.abs(m - centre) < 2) below = Math.max(below, yOf(v, l, m) + 3);
  pen.fillStyle = p.ink2;
  pen.fillText(text, x + 3, below + 12);
}

/** Tag of cents still off, word and pin of one note. */
function drawMarks(pen: Pen, s: Scene, n: SceneNote): void {
  const { layout: l, palette: p, view: v } = s;
  const x0 = xOf(v, l, n.from);
  const x1 = xOf(v, l, n.to);
  const y = yOf(v, l, n.rail);
  pen.textBaseline = 'alphabetic';
  pen.textAlign = 'left';
  if (n.word && x1 - x0 > 14) drawWord(pen, s, n, x0, x1);
  const off = n.offCents ?? 0;
  if (Math.abs(off) > TAG_CENTS && x1 - x0 > 10) {
    pen.font = font(10, 600);
    const text = `${off > 0 ? '+' : '−'}${Math.abs(off)}`;
    const w = pen.measureText(text).width + 8;
    const top = Math.min(y - RAIL_HALF, yOf(v, l, n.sung) - 8) - 17;
    pen.fillStyle = p.amberSoft;
    box(pen, x0, top, w, 14, 4);
    pen.fill();
    pen.fillStyle = p.amber;
    pen.fillText(text, x0 + 4, top + 10.5);
  }
  if (n.edit?.pinned) {
    const px = x1 - 9;
    pen.fillStyle = p.teal;
    pen.beginPath();
    pen.arc(px, y - RAIL_HALF - 7, 3.4, 0, 7);
    pen.fill();
    pen.fillRect(px - 0.7, y - RAIL_HALF - 5, 1.4, 8);
  }
}

const CORNER = 4;
const NOISE_NAMES: Record<NoiseKind, string> = { sibilant: 's', plosive: 't', breath: 'breath' };
const NOISE_HEIGHT: Record<NoiseKind, number> = { sibilant: 26, plosive: 20, breath: 13 };

/** Breaths, sibilants and plosives, with a grain of their own so that colour is not needed to tell them. */
function drawNoises(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, l.noises.top, l.width, l.noises.bottom - l.noises.top);
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, 0, l.noises.top + 0.5, l.width, l.noises.top + 0.5);
  line(pen, 0, l.noises.bottom + 0.5, l.width, l.noises.bottom + 0.5);
  pen.fillStyle = p.ink2;
  pen.font = font(10.5, 600);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  pen.fillText('Noises', 8, (l.noises.top + l.noises.bottom) / 2);
  let labelEnd = 0;
  for (const q of s.reading?.noises ?? []) {
    if (q.end < v.from || q.start > v.to) continue;
    const x0 = Math.max(l.ladder, xOf(v, l, q.start));
    const x1 = xOf(v, l, q.end);
    if (x1 <= l.ladder) continue;
    const h = NOISE_HEIGHT[q.kind];
    const floor = l.noises.bottom - 4;
    const w = Math.max(2, x1 - x0);
    // too narrow for corners
    const rounded = w > 2 * CORNER;
    if (rounded) {
      pen.save();
      box(pen, x0, floor - h, w, h, CORNER);
      pen.clip();
    }
    pen.fillStyle = fade(p.violet, 0.14);
    pen.fillRect(x0, floor - h, w, h);
    pen.fillStyle = p.ink2;
    const dots = Math.min(400, ((x1 - x0) * h) / 9);
    let seed = Math.round(q.start * 1000) + 1;
    for (let k = 0; k < dots; k++) {
      seed = (seed * 16807) % 2147483647;
      const a = seed / 2147483647;
      seed = (seed * 16807) % 2147483647;
      pen.fillRect(x0 + a * (x1 - x0), floor - (seed / 2147483647) * h, 1.1, 1.1);
    }
    if (rounded) pen.restore();
    const name = NOISE_NAMES[q.kind];
    pen.font = font(10);
    if (x0 > labelEnd + 3 && v.to - v.from < 30) {
      pen.fillStyle = p.ink2;
      pen.fillText(name, x0, l.noises.top + 9);
      labelEnd = x0 + pen.measureText(name).width;
    }
  }
}

const QUIET_DB = -50;

/** Loudness of the take over time. */
function drawLevel(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v, reading } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, l.level.top + 1, l.width, l.level.bottom - l.level.top);
  pen.fillStyle = p.ink2;
  pen.font = font(10.5, 600);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  pen.fillText('Level', 8, (l.level.top + l.level.bottom) / 2);
  if (!reading) return;
  const { first, last, step } = visibleFrames(s, reading.levelDb.length);
  const floor = l.level.bottom - 4;
  const height = l.level.bottom - l.level.top - 12;
  const levelY = (db: number) => floor - Math.max(0, Math.min(1, (db - QUIET_DB) / (-8 - QUIET_DB))) * height;
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, l.level.top, l.width - l.ladder, l.level.bottom - l.level.top);
  pen.clip();
  pen.beginPath();
  pen.moveTo(l.ladder, floor);
  for (let k = first; k <= last; k += step) {
    let db = -120;
    for (let j = k; j < k + step && j <= last; j++) db = Math.max(db, reading.levelDb[j] + (s.gainDb?.[j] ?? 0));
    pen.lineTo(xOf(v, l, k * reading.hop), levelY(db));
  }
  pen.strokeStyle = p.teal;
  pen.lineWidth = 1.3;
  pen.lineJoin = 'round';
  pen.stroke();
  pen.lineTo(l.width, floor);
  pen.lineTo(l.ladder, floor);
  pen.fillStyle = fade(p.teal, 0.2);
  pen.fill();
  pen.restore();
}
