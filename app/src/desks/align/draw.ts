import { UNNATURAL } from '@essim/core';
import type { Span } from '@essim/core';
import { box, fade, fitted, font, line, type Pen } from '../../field/draw/shapes';
import { TAG_HEIGHT, Tags } from '../../field/draw/tags';
import type { Dress } from '../../field/dress';
import type { Palette } from '../../field/palette';
import { chosenIn, type Scene } from '../../field/scene';
import {
  drawScale,
  fillLoudness,
  lane,
  leafShape,
  mirrorAxes,
  mirrorOf,
  offsetsOf,
  offsetY,
  outlineLoudness,
  SHORTEST_LEAF,
  title,
} from '../../field/draw/mirror';
import { xOf } from '../../field/viewport';

/** A lead and its followers, by how early or late each syllable is. Song time as heard. */
export interface AlignScene {
  lead: { name: string; colour: keyof Palette; levelDb: Float32Array; words: readonly (Span & { text: string })[] };
  follower: { name: string; colour: keyof Palette };
  /** Every follower's; the one that is shown last. */
  followers: { colour: keyof Palette; shown: boolean; leaves: AlignLeaf[] }[];
  /** Stretches left as sung. */
  asSung: Span[];
  /** While a word is being tied: its key, and the lead's moment that is meant. */
  tying: { key: string; lead: number } | null;
}

export interface AlignLeaf {
  key: string;
  word: string;
  /** Onset as sung. */
  at: number;
  start: number;
  end: number;
  /** Seconds late; null: it has no counterpart. */
  sung: number | null;
  now: number | null;
  tied: 'tied' | 'locked' | null;
  moved: boolean;
  stretch: number;
}

/** A tag tells what a syllable was when it was off by more. */
const TOLD = 0.045;

/** Mirror and offset lane over the field. */
export const alignDress = (a: AlignScene): Dress => ({
  lanes(pen, s) {
    pen.save();
    drawMirror(pen, s, a);
    drawOffsets(pen, s, a);
    pen.restore();
  },
});

/** The lead's loudness grows up, the follower's down, and threads go from each moment to its counterpart. */
function drawMirror(pen: Pen, s: Scene, a: AlignScene): void {
  const { layout: l, palette: p } = s;
  const { top, bottom } = mirrorOf(l);
  const axes = mirrorAxes(l);
  lane(pen, s, mirrorOf(l));
  title(pen, a.lead.name, p[a.lead.colour], (top + axes.lead) / 2 + 6, l.ladder - 10);
  title(pen, a.follower.name, p[a.follower.colour], (axes.follower + bottom) / 2, l.ladder - 10);
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, top, l.width - l.ladder, bottom - top);
  pen.clip();
  const height = axes.lead - top - 20;
  fillLoudness(pen, s, a.lead.levelDb, axes.lead, -height, p[a.lead.colour]);
  if (s.reading) {
    const { levelDb } = s.reading;
    const colour = p[a.follower.colour];
    fillLoudness(pen, s, levelDb, axes.follower, height, colour, s.gainDb);
    // as it was sung, where it is heard otherwise
    if (s.gainDb) outlineLoudness(pen, s, levelDb, axes.follower, height, colour);
  }
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, l.ladder, axes.lead, l.width, axes.lead);
  line(pen, l.ladder, axes.follower, l.width, axes.follower);
  drawWords(pen, s, a);
  const shown = a.followers.find(f => f.shown);
  for (const leaf of shown?.leaves ?? []) drawThread(pen, s, a, leaf, axes);
  pen.restore();
}

function drawWords(pen: Pen, s: Scene, a: AlignScene): void {
  const { layout: l, palette: p, view: v } = s;
  pen.font = font(11);
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  let free = l.ladder;
  for (const w of a.lead.words) {
    const x = xOf(v, l, w.start);
    if (x < free || x > l.width || x + 8 < l.ladder) continue;
    const text = fitted(pen, w.text, Math.max(24, xOf(v, l, w.end) - x + 8));
    pen.fillStyle = p.ink2;
    pen.fillText(text, x, mirrorOf(l).top + 10);
    free = x + pen.measureText(text).width + 6;
  }
}

/** From a moment of the lead to its counterpart: dashed as sung, drawn out as heard; a tie is doubled. */
function drawThread(
  pen: Pen,
  s: Scene,
  a: AlignScene,
  leaf: AlignLeaf,
  axes: { lead: number; follower: number },
): void {
  const { layout: l, palette: p, view: v } = s;
  if (leaf.start > v.to + 1 || leaf.end < v.from - 1) return;
  if (leaf.sung === null || leaf.now === null) {
    const x = xOf(v, l, leaf.start);
    const width = xOf(v, l, leaf.end) - x;
    pen.setLineDash([3, 3]);
    pen.strokeStyle = p[a.follower.colour];
    pen.lineWidth = 1.2;
    box(pen, x, axes.follower + 3, width, 26, 8);
    pen.stroke();
    pen.setLineDash([]);
    return;
  }
  const lead = leaf.at - leaf.sung;
  const x = xOf(v, l, lead);
  pen.strokeStyle = p.ink3;
  pen.lineWidth = 1;
  pen.setLineDash([2, 2.5]);
  line(pen, x, axes.lead, xOf(v, l, lead + leaf.sung), axes.follower);
  pen.setLineDash([]);
  pen.strokeStyle = p.ink;
  pen.lineWidth = leaf.tied === 'locked' ? 2 : 1.3;
  const now = xOf(v, l, lead + leaf.now);
  if (!leaf.tied) line(pen, x, axes.lead, now, axes.follower);
  else for (const d of [-2, 2]) line(pen, x + d, axes.lead, now + d, axes.follower);
  if (a.tying?.key !== leaf.key) return;
  pen.strokeStyle = p.rose;
  pen.lineWidth = 2;
  line(pen, xOf(v, l, a.tying.lead), axes.lead - 18, xOf(v, l, a.tying.lead), axes.lead);
  line(pen, xOf(v, l, a.tying.lead), axes.lead, now, axes.follower);
}

/** Every syllable as a leaf: hollow where it was sung, filled where it is now; early above, late below a quiet band. */
function drawOffsets(pen: Pen, s: Scene, a: AlignScene): void {
  const { layout: l, palette: p, view: v } = s;
  const { top, bottom } = offsetsOf(l);
  drawScale(pen, s, '0 ms');
  for (const q of a.asSung) {
    const x = xOf(v, l, q.start);
    pen.fillStyle = fade(p.ink3, 0.16);
    pen.fillRect(x, top, xOf(v, l, q.end) - x, bottom - top);
    pen.fillStyle = p.ink2;
    pen.font = font(10);
    pen.fillText('as sung', Math.max(l.ladder + 3, x + 4), bottom - 9);
  }
  const tags = new Tags(pen, p);
  const chosen = chosenIn(s);
  for (const f of a.followers)
    for (const leaf of f.leaves) {
      if (leaf.start > v.to || leaf.end < v.from) continue;
      drawLeaf(pen, s, leaf, p[f.colour], f.shown, f.shown && chosen.has(leaf.key), tags);
    }
  pen.restore();
}

function drawLeaf(
  pen: Pen,
  s: Scene,
  leaf: AlignLeaf,
  colour: string,
  shown: boolean,
  chosen: boolean,
  tags: Tags,
): void {
  const { layout: l, palette: p, view: v } = s;
  const x = xOf(v, l, leaf.start);
  const width = Math.max(SHORTEST_LEAF, Math.min(70, xOf(v, l, leaf.end) - x - 2));
  if (leaf.sung === null || leaf.now === null) {
    pen.setLineDash([3, 3]);
    pen.strokeStyle = fade(colour, shown ? 0.9 : 0.4);
    pen.lineWidth = 1.2;
    leafShape(pen, x, offsetY(l, 0) + 16, width);
    pen.stroke();
    pen.setLineDash([]);
    if (!shown) return;
    pen.font = font(10);
    pen.fillStyle = p.ink2;
    pen.fillText(`${leaf.word ? `“${leaf.word}”, ` : ''}only here`, x, offsetY(l, 0) + 30);
    return;
  }
  const [was, now] = [offsetY(l, leaf.sung), offsetY(l, leaf.now)];
  pen.strokeStyle = fade(colour, shown ? 0.75 : 0.35);
  pen.lineWidth = 1.2;
  if (Math.abs(was - now) > 2) {
    leafShape(pen, x, was, width);
    pen.stroke();
    pen.lineWidth = 0.8;
    line(pen, x, was, x, now);
  }
  pen.fillStyle = fade(colour, shown ? 0.88 : 0.35);
  leafShape(pen, x, now, width);
  pen.fill();
  if (chosen) {
    pen.strokeStyle = p.ink;
    pen.lineWidth = 2;
    pen.stroke();
  }
  if (!shown) return;
  if (leaf.tied) {
    pen.strokeStyle = p.ink;
    pen.lineWidth = leaf.tied === 'locked' ? 2.2 : 1.4;
    for (const d of [-5, -2]) line(pen, x + d, now - 6, x + d, now + 6);
  }
  if (v.to - v.from > 14) return;
  if (leaf.stretch > UNNATURAL || leaf.stretch < 1 / UNNATURAL)
    tags.put(`bent ${leaf.stretch.toFixed(1)}×`, x, now + 9);
  if (Math.abs(leaf.sung) < TOLD) return;
  const beyond = was + (leaf.sung > 0 ? 9 : -23);
  // where there is no room beyond the leaf it stands between it and the quiet band
  const fits = beyond + TAG_HEIGHT < offsetsOf(l).bottom && beyond > offsetsOf(l).top;
  const y = fits ? beyond : was + (leaf.sung > 0 ? -23 : 9);
  tags.put(`was ${leaf.sung > 0 ? '+' : '−'}${Math.abs(Math.round(leaf.sung * 1000))}`, x, y);
}

/** The leaf of the shown follower's at a point of the offset lane. */
export function leafAt<Leaf extends Pick<AlignLeaf, 'start' | 'end' | 'now'>>(
  leaves: readonly Leaf[],
  { layout: l, view: v }: Pick<Scene, 'layout' | 'view'>,
  x: number,
  y: number,
): Leaf | null {
  let best: Leaf | null = null;
  let nearest = 14;
  for (const leaf of leaves) {
    const left = xOf(v, l, leaf.start);
    const right = Math.max(left + SHORTEST_LEAF, xOf(v, l, leaf.end));
    if (x < left - 3 || x > right + 3) continue;
    const away = leaf.now === null ? Math.abs(y - offsetY(l, 0) - 16) : Math.abs(y - offsetY(l, leaf.now));
    if (away < nearest) [nearest, best] = [away, leaf];
  }
  return best;
}
