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
  for (const n of visible) drawRail(pen, s, n);
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

function drawRail(pen: Pen, s: Scene, n: SceneNote): void {
  const { layout: l, palette: p, view: v } = s;
  const x0 = xOf(v, l, n.from);
  const x1 = xOf(v, l, n.to);
  const y = yOf(v, l, n.rail);
  pen.fillStyle = fade(p.teal, n.selected ? 0.2 : n.edit?.target !== undefined ? 0.12 : 0.06);
  box(pen, x0, y - RAIL_HALF, x1 - x0, 2 * RAIL_HALF, 5);
  pen.fill();
  if (n.selected) {
    pen.strokeStyle = p.teal;
    pen.lineWidth = 1.4;
    pen.stroke();
  }
  pen.strokeStyle = fade(p.teal, n.edit?.target !== undefined ? 0.9 : 0.45);
  pen.lineWidth = 1;
  pen.setLineDash([2, 3]);
  line(pen, x0, y, x1, y);
  pen.setLineDash([]);
}

/** Frames of a take's line inside the view, thinned to about one a pixel. */
function visibleFrames(s: Scene, length: number): { first: number; last: number; step: number } {
  const hop = s.reading?.hop ?? 0.005;
  const first = Math.max(0, Math.floor(s.view.from / hop) - 1);
  const last = Math.min(length - 1, Math.ceil(s.view.to / hop) + 1);
  const perPixel = (last - first) / Math.max(1, s.layout.width - s.layout.ladder);
  return { first, last, step: Math.max(1, Math.floor(perPixel * 1.2)) };
}

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
  pen.lineWidth = width;
  pen.setLineDash(dash);
  pen.lineJoin = 'round';
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
  let c = 0;
  for (let k = first; k <= last; k += step) {
    if (Number.isNaN(y[k])) {
      before = null;
      continue;
    }
    const t = k * reading.hop;
    const x = xOf(v, l, t);
    const py = yOf(v, l, y[k]);
    if (before && k - before[2] <= step) {
      const loud = Math.max(0, Math.min(LEVELS - 1, Math.floor((reading.levelDb[k] + 44) / 6.5)));
      paths[loud].moveTo(before[0], before[1]);
      paths[loud].lineTo(x, py);
      while (c < chosen.length && chosen[c].to < t) c++;
      if (c < chosen.length && chosen[c].from <= t) {
        heavy.moveTo(before[0], before[1]);
        heavy.lineTo(x, py);
      }
    }
    before = [x, py, k];
  }
  pen.lineCap = 'round';
  pen.lineJoin = 'round';
  pen.lineWidth = 3.2;
  paths.forEach((path, i) => {
    pen.strokeStyle = fade(p[s.colour], 0.35 + (0.65 * i) / (LEVELS - 1));
    pen.stroke(path);
  });
  pen.strokeStyle = s.colour === 'teal' ? p.tealDeep : p[s.colour];
  pen.lineWidth = 4.2;
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
    pen.save();
    box(pen, x0, floor - h, Math.max(2, x1 - x0), h, 4);
    pen.clip();
    pen.fillStyle = fade(p.violet, 0.14);
    pen.fillRect(x0, floor - h, Math.max(2, x1 - x0), h);
    pen.fillStyle = p.ink2;
    const dots = Math.min(400, ((x1 - x0) * h) / 9);
    let seed = Math.round(q.start * 1000) + 1;
    for (let k = 0; k < dots; k++) {
      seed = (seed * 16807) % 2147483647;
      const a = seed / 2147483647;
      seed = (seed * 16807) % 2147483647;
      pen.fillRect(x0 + a * (x1 - x0), floor - (seed / 2147483647) * h, 1.1, 1.1);
    }
    pen.restore();
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
