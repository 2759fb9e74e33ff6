import {
  drawScale,
  eachLoudness,
  lane,
  leafShape,
  mirrorAxes,
  mirrorOf,
  offsetsOf,
  offsetY,
  SHORTEST_LEAF,
  title,
} from '../../field/draw/mirror';
import { box, fade, font, line, type Pen } from '../../field/draw/shapes';
import { Tags } from '../../field/draw/tags';
import type { Dress } from '../../field/dress';
import type { Palette } from '../../field/palette';
import { chosenIn, type Scene } from '../../field/scene';
import { xOf, yOf } from '../../field/viewport';
import { lastAtMost, type Span } from '@essim/core';
import type { TimedNote } from './timed';

/** A track over its time: as it was sung above, as it is below, threads between, and how far off each note is. */
export interface TimeScene {
  colour: keyof Palette;
  notes: readonly TimedNote[];
  /** Stretches that keep their length: consonants, and what the user says. As heard. */
  stiff: readonly Span[];
  /** Moments held by hand, as heard, and where they would be. */
  stitches: readonly { at: number; was: number }[];
  /** Silence left between, as heard. */
  gaps: readonly Span[];
  /** Where a moment is heard, by where it would be if nothing was moved. */
  heard: (was: number) => number;
  /** Where bringing them would put onsets, by key. */
  coming: ReadonlyMap<string, number>;
  /** Name of what times are told beside. */
  beside: string;
}

/** A tag tells how far off a note still is when it is more, s. */
const TOLD = 0.035;

export const timeDress = (t: TimeScene): Dress => ({
  over(pen, s) {
    drawUprights(pen, s, t);
  },
  lanes(pen, s) {
    pen.save();
    drawMirror(pen, s, t);
    pen.restore();
    pen.save();
    drawOffsets(pen, s, t);
    pen.restore();
  },
});

/** Where joined notes meet both are moved at once: an upright with a grip, at the ends of what is chosen. */
function drawUprights(pen: Pen, s: Scene, t: TimeScene): void {
  const { layout: l, palette: p, view: v } = s;
  for (const n of s.notes) {
    if (!n.selected) continue;
    for (const time of [n.from, n.to]) {
      const x = xOf(v, l, time);
      const y = yOf(v, l, n.rail);
      grip(pen, s, x, y);
    }
  }
  for (const { at } of t.stitches) {
    const n = s.notes.find(q => q.from < at && q.to > at);
    if (n) cross(pen, xOf(v, l, at), yOf(v, l, n.rail), p.ink);
  }
}

function grip(pen: Pen, s: Scene, x: number, y: number): void {
  const { palette: p } = s;
  pen.fillStyle = p.panel;
  pen.strokeStyle = p.teal;
  pen.lineWidth = 1.6;
  box(pen, x - 3, y - 7, 6, 14, 3);
  pen.fill();
  pen.stroke();
}

function cross(pen: Pen, x: number, y: number, colour: string): void {
  pen.strokeStyle = colour;
  pen.lineWidth = 1.8;
  line(pen, x - 4, y - 4, x + 4, y + 4);
  line(pen, x - 4, y + 4, x + 4, y - 4);
}

function drawMirror(pen: Pen, s: Scene, t: TimeScene): void {
  const { layout: l, palette: p, view: v } = s;
  const band = mirrorOf(l);
  const { top, bottom } = band;
  const axes = mirrorAxes(l);
  lane(pen, s, band);
  title(pen, 'As sung', p.ink2, (top + axes.lead) / 2 + 6, l.ladder - 10);
  title(pen, 'Now', p[t.colour], (axes.follower + bottom) / 2, l.ladder - 10);
  pen.beginPath();
  pen.rect(l.ladder, top, l.width - l.ladder, bottom - top);
  pen.clip();
  if (!s.reading) return;
  const height = axes.lead - top - 20;
  // what lies at a place above was sung then, and is heard elsewhere
  half(pen, s, axes.lead, -height, { fill: fade(p.ink3, 0.4), dots: p.ink2 }, t.stiff, t.heard);
  half(pen, s, axes.follower, height, { fill: fade(p[t.colour], 0.72), dots: p[t.colour] }, t.stiff);
  for (const g of t.gaps) {
    const [a, z] = [xOf(v, l, g.start), xOf(v, l, g.end)];
    pen.fillStyle = p.panel;
    pen.fillRect(a, axes.follower + 1, z - a, height);
    pen.setLineDash([3, 3]);
    pen.strokeStyle = p.ink3;
    pen.lineWidth = 1;
    box(pen, a, axes.follower + 3, Math.max(2, z - a), 16, 3);
    pen.stroke();
    pen.setLineDash([]);
  }
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, l.ladder, axes.lead, l.width, axes.lead);
  line(pen, l.ladder, axes.follower, l.width, axes.follower);
  let free = l.ladder;
  for (const n of t.notes) {
    if (n.start > v.to + 1 || n.end < v.from - 1) continue;
    const moved = (a: number, b: number) => Math.abs(a - b) > 0.0015;
    for (const [was, now] of [
      [n.was.start, n.start],
      [n.was.end, n.end],
    ]) {
      pen.strokeStyle = moved(was, now) ? p.ink : p.ink3;
      pen.lineWidth = moved(was, now) ? 1.4 : 0.8;
      line(pen, xOf(v, l, was), axes.lead, xOf(v, l, now), axes.follower);
    }
    const x = xOf(v, l, n.was.start);
    if (!n.word || x < free) continue;
    pen.font = font(11);
    pen.textAlign = 'left';
    pen.textBaseline = 'middle';
    pen.fillStyle = p.ink2;
    pen.fillText(n.word, x, top + 10);
    free = x + pen.measureText(n.word).width + 6;
  }
  for (const { at, was } of t.stitches) {
    pen.setLineDash([2, 3]);
    pen.strokeStyle = p.ink;
    pen.lineWidth = 1.2;
    line(pen, xOf(v, l, was), axes.lead, xOf(v, l, at), axes.follower);
    pen.setLineDash([]);
    cross(pen, xOf(v, l, at), axes.follower + height * 0.45, p.ink);
  }
  drawChosen(pen, s, t, axes.follower, height);
}

/** One half of the mirror: vowels solid, what keeps its length stippled. @param at what moment is heard where it is drawn */
function half(
  pen: Pen,
  s: Scene,
  axis: number,
  height: number,
  colours: { fill: string; dots: string },
  stiff: readonly Span[],
  at?: (t: number) => number,
): void {
  const { layout: l } = s;
  const stippled: [x: number, share: number][] = [];
  pen.beginPath();
  pen.moveTo(l.ladder, axis);
  eachLoudness(
    s,
    s.reading!.levelDb,
    height > 0 ? s.gainDb : null,
    (x, share, time) => {
      const held = stiff[lastAtMost(stiff, time, q => q.start)] as Span | undefined;
      const keeps = !!held && time < held.end;
      if (keeps) stippled.push([x, share]);
      pen.lineTo(x, keeps ? axis : axis + height * share);
    },
    at,
  );
  pen.lineTo(l.width, axis);
  pen.fillStyle = colours.fill;
  pen.fill();
  pen.fillStyle = colours.dots;
  for (const [x, share] of stippled) {
    const tall = Math.abs(height) * Math.max(0.16, share);
    for (let y = 2; y < tall; y += 3.5) {
      const jitter = ((Math.round(x) * 7 + Math.round(y) * 13) % 5) / 2 - 1;
      pen.fillRect(x + jitter, axis + Math.sign(height) * y, 1.2, 1.2);
    }
  }
}

/** A frame about what is chosen, with a grip at either end. */
function drawChosen(pen: Pen, s: Scene, t: TimeScene, axis: number, height: number): void {
  const { layout: l, palette: p, view: v } = s;
  const chosen = chosenIn(s);
  const list = t.notes.filter(n => chosen.has(n.key));
  if (!list.length) return;
  const [first, last] = [list[0], list[list.length - 1]];
  const [x0, x1] = [xOf(v, l, first.start), xOf(v, l, last.end)];
  pen.strokeStyle = p.teal;
  pen.lineWidth = 1.6;
  box(pen, x0, axis, x1 - x0, height + 6, 5);
  pen.stroke();
  grip(pen, s, x0, axis + height * 0.4);
  grip(pen, s, x1, axis + height * 0.4);
  const [was, now] = [last.was.end - first.was.start, last.end - first.start];
  if (Math.abs(was - now) < 0.003) return;
  pen.font = font(10.5, 600);
  const text = `${now.toFixed(2)} s, was ${was.toFixed(2)}`;
  const width = pen.measureText(text).width + 10;
  const x = Math.max(l.ladder + 4, Math.min(l.width - width - 4, (x0 + x1 - width) / 2));
  pen.fillStyle = p.ruleSoft;
  box(pen, x, axis + height - 12, width, 15, 4);
  pen.fill();
  pen.fillStyle = p.ink;
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  pen.fillText(text, x + 5, axis + height - 4);
}

/** Every note as a leaf: hollow where it was, filled where it is, dashed where it would be brought. */
function drawOffsets(pen: Pen, s: Scene, t: TimeScene): void {
  const { layout: l, palette: p, view: v } = s;
  drawScale(pen, s, t.beside);
  const { top, bottom } = offsetsOf(l);
  const chosen = chosenIn(s);
  const colour = p[t.colour];
  const tags = new Tags(pen, p);
  for (const n of t.notes) {
    if (n.start > v.to || n.end < v.from || n.offNow === null) continue;
    const x = xOf(v, l, n.onset);
    const width = Math.max(SHORTEST_LEAF, Math.min(70, xOf(v, l, n.end) - x - 2));
    const now = offsetY(l, n.offNow);
    const was = n.offWas === null ? now : offsetY(l, n.offWas);
    if (Math.abs(was - now) > 2) {
      pen.strokeStyle = fade(colour, 0.75);
      pen.lineWidth = 1.2;
      leafShape(pen, xOf(v, l, n.was.onset), was, width);
      pen.stroke();
      pen.lineWidth = 0.8;
      line(pen, xOf(v, l, n.was.onset), was, x, now);
    }
    pen.fillStyle = fade(colour, 0.88);
    leafShape(pen, x, now, width);
    pen.fill();
    if (chosen.has(n.key)) {
      pen.strokeStyle = p.ink;
      pen.lineWidth = 2;
      pen.stroke();
    }
    const to = t.coming.get(n.key);
    if (to !== undefined) {
      pen.setLineDash([3, 2]);
      pen.strokeStyle = p.ink2;
      pen.lineWidth = 1.2;
      leafShape(pen, xOf(v, l, to), offsetY(l, n.offNow + to - n.onset), width);
      pen.stroke();
      pen.setLineDash([]);
    }
    if (Math.abs(n.offNow) < TOLD || v.to - v.from > 14) continue;
    const text = `${n.offNow > 0 ? '+' : '−'}${Math.abs(Math.round(n.offNow * 1000))} ms`;
    tags.put(text, x, Math.max(top + 2, Math.min(bottom - 16, now + (n.offNow > 0 ? 8 : -22))));
  }
}
