import { fade, fitted, font, line, type Pen } from './shapes';
import type { Scene } from '../scene';
import { layoutFor, timeAt, type Band, type Layout } from '../viewport';

/**
 * Two performances over one time, and how far each syllable of one is off: a mirror of loudness with threads across its gap, and a lane
 * in which syllables hang as leaves, early above and late below a quiet band that means together.
 */

/** With the mirror and the offset lane over a smaller field, and no lanes under it. */
export function mirrorLayout(width: number, height: number): Layout {
  const l = layoutFor(width, height);
  const upper = Math.max(90, Math.min(170, (height - 78) * 0.24));
  const mirror = { top: 78, bottom: 78 + upper };
  const offsets = { top: mirror.bottom, bottom: mirror.bottom + upper };
  const none = { top: height, bottom: height };
  return { ...l, own: { mirror, offsets }, field: { top: offsets.bottom, bottom: height }, noises: none, level: none };
}

const NOWHERE: Band = { top: 0, bottom: 0 };
export const mirrorOf = (l: Layout): Band => l.own.mirror ?? NOWHERE;
export const offsetsOf = (l: Layout): Band => l.own.offsets ?? NOWHERE;

/** Half the offset lane's height, s. */
export const OFFSET_REACH = 0.14;
/** Nearer than this is together, s. */
export const TOGETHER = 0.02;
const LEAF_HALF = 6.5;
export const SHORTEST_LEAF = 12;
/** The gap of the mirror that threads cross, share of its height. */
const GAP = 0.16;
/** So far under its loudest moment a voice is drawn flat. */
const SHOWN_DB = 34;
export const offsetY = (l: Layout, seconds: number): number => {
  const { top, bottom } = offsetsOf(l);
  const middle = (top + bottom) / 2;
  const s = Math.max(-1.08, Math.min(1.08, seconds / OFFSET_REACH));
  return middle + s * ((bottom - top) / 2 - 12);
};
export const offsetAt = (l: Layout, y: number): number => {
  const { top, bottom } = offsetsOf(l);
  return ((y - (top + bottom) / 2) / ((bottom - top) / 2 - 12)) * OFFSET_REACH;
};

/** Where the two halves of the mirror meet their gap. */
export function mirrorAxes(l: Layout): { lead: number; follower: number } {
  const { top, bottom } = mirrorOf(l);
  const [middle, half] = [(top + bottom) / 2 + 5, ((bottom - top) * GAP) / 2];
  return { lead: middle - half, follower: middle + half };
}

export function lane(pen: Pen, s: Scene, { top, bottom }: Band): void {
  const { layout: l, palette: p } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, top, l.width, bottom - top);
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, 0, bottom - 0.5, l.width, bottom - 0.5);
  line(pen, l.ladder - 0.5, top, l.ladder - 0.5, bottom);
}

export function title(pen: Pen, text: string, colour: string, y: number, width: number): void {
  pen.font = font(10.5, 600);
  pen.fillStyle = colour;
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  pen.fillText(fitted(pen, text, width), 8, y);
}

const loudness = new WeakMap<Float32Array, number>();
function loudestOf(levelDb: Float32Array): number {
  let most = loudness.get(levelDb);
  if (most === undefined) loudness.set(levelDb, (most = levelDb.reduce((m, v) => Math.max(m, v), -60)));
  return most;
}

/**
 * Calls with each place of the view and how high a voice is drawn there: its level, and what is turned up or down.
 * @param at what moment of the voice is drawn at a moment of the view
 */
export function eachLoudness(
  s: Scene,
  levelDb: Float32Array,
  gainDb: Float32Array | null,
  put: (x: number, share: number, time: number) => void,
  at: (t: number) => number = t => t,
): void {
  const { layout: l, view: v } = s;
  const hop = s.reading?.hop ?? 0.005;
  const loudest = loudestOf(levelDb);
  const wide = Math.max(1, Math.round(((v.to - v.from) / (l.width - l.ladder) / hop) * 1.5));
  for (let x = l.ladder; x <= l.width; x += 1.5) {
    const time = at(timeAt(v, l, x));
    const k = Math.round(time / hop);
    let db = -120;
    for (let j = Math.max(0, k); j < Math.min(levelDb.length, k + wide); j++)
      db = Math.max(db, levelDb[j] + (gainDb?.[j] ?? 0));
    const share = Math.max(0, Math.min(1, (db - loudest + SHOWN_DB) / SHOWN_DB));
    put(x, share ** 1.6, time);
  }
}

export function fillLoudness(
  pen: Pen,
  s: Scene,
  levelDb: Float32Array,
  axis: number,
  height: number,
  colour: string,
  gainDb: Float32Array | null = null,
): void {
  const { layout: l } = s;
  pen.beginPath();
  pen.moveTo(l.ladder, axis);
  eachLoudness(s, levelDb, gainDb, (x, share) => pen.lineTo(x, axis + height * share));
  pen.lineTo(l.width, axis);
  pen.fillStyle = fade(colour, 0.62);
  pen.fill();
}

/** The voice as it was sung, where it sounds: dashed. */
export function outlineLoudness(
  pen: Pen,
  s: Scene,
  levelDb: Float32Array,
  axis: number,
  height: number,
  colour: string,
): void {
  pen.beginPath();
  pen.moveTo(s.layout.ladder, axis);
  eachLoudness(s, levelDb, null, (x, share) => {
    if (share) pen.lineTo(x, axis + height * share);
    else pen.moveTo(x, axis);
  });
  pen.strokeStyle = fade(colour, 0.8);
  pen.lineWidth = 1;
  pen.setLineDash([3, 3]);
  pen.stroke();
  pen.setLineDash([]);
}

/** A leaf with its stalk on the left. */
export function leafShape(pen: Pen, x: number, y: number, width: number): void {
  pen.beginPath();
  pen.moveTo(x, y);
  pen.bezierCurveTo(x + width * 0.25, y - LEAF_HALF * 1.5, x + width * 0.75, y - LEAF_HALF * 0.9, x + width, y);
  pen.bezierCurveTo(x + width * 0.75, y + LEAF_HALF * 0.9, x + width * 0.25, y + LEAF_HALF * 1.5, x, y);
}

/** The offset lane's ground: early above, late below, a quiet band between; clipped to the lane from here on. @param together name of the band */
export function drawScale(pen: Pen, s: Scene, together: string): void {
  const { layout: l, palette: p } = s;
  const { top, bottom } = offsetsOf(l);
  lane(pen, s, offsetsOf(l));
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  pen.font = font(10);
  pen.fillStyle = p.ink2;
  pen.fillText('early', 8, top + 10);
  pen.fillText('−100', 8, offsetY(l, -0.1));
  pen.fillText(fitted(pen, together, l.ladder - 10), 8, offsetY(l, 0));
  pen.fillText('+100', 8, offsetY(l, 0.1));
  pen.fillText('late', 8, bottom - 10);
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, top, l.width - l.ladder, bottom - top);
  pen.clip();
  pen.fillStyle = fade(p.teal, 0.12);
  const y0 = offsetY(l, -TOGETHER);
  pen.fillRect(l.ladder, y0, l.width - l.ladder, offsetY(l, TOGETHER) - y0);
  pen.strokeStyle = p.ruleSoft;
  pen.lineWidth = 1;
  for (const ms of [-100, -50, 50, 100]) {
    const y = Math.round(offsetY(l, ms / 1000)) + 0.5;
    line(pen, l.ladder, y, l.width, y);
  }
}
