import { BarGrid, inSemitones, noteName, pitchClass, rowsBetween, stepName, type Key, type Row } from '@essim/core';
import type { Scene } from '../scene';
import { stripX, xOf, yOf } from '../viewport';
import { box, fade, font, line, type Pen } from './shapes';

const HATCH = 7;

/** All that the ground is drawn from, tabs included: where these are the same, so is the ground. While notes are dragged they are. */
export function groundOf(s: Scene): unknown[] {
  const { layout, palette, view, duration, reading, phrases, song, loop } = s;
  const [{ key }] = s.keys;
  const tabs = s.alternatives.flatMap(a => [a.name, a.start, a.heard]);
  const keys = [key?.tonic, key?.mode, song.keyChanges, song.tuning, song.referenceHz];
  return [
    layout,
    palette,
    view,
    duration,
    reading,
    phrases,
    song.tempo,
    song.chords,
    ...keys,
    loop?.from,
    loop?.to,
    ...tabs,
  ];
}

/** Song strip, ruler, rows and ladder: what changes only with the view. */
export function drawGround(pen: Pen, s: Scene): void {
  const { layout: l, palette: p } = s;
  pen.fillStyle = p.paper;
  pen.fillRect(0, 0, l.width, l.height);
  drawRows(pen, s);
  drawGrid(pen, s);
  drawLadder(pen, s);
  drawRuler(pen, s);
  drawStrip(pen, s);
}

function drawRows(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v } = s;
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, l.field.top, l.width - l.ladder, l.field.bottom - l.field.top);
  pen.clip();
  s.keys.forEach(({ from, key, scale }, i) => {
    const x0 = Math.max(l.ladder, xOf(v, l, from));
    const x1 = Math.min(l.width, xOf(v, l, s.keys[i + 1]?.from ?? Infinity));
    if (x1 <= x0) return;
    for (const row of rowsBetween(scale, v.low - 1, v.high + 1)) {
      const top = yOf(v, l, row.high);
      const bottom = yOf(v, l, row.low);
      if (key && !row.degree) hatch(pen, p.hatch, x0, x1, top, bottom, l.ladder);
      pen.strokeStyle = p.ruleSoft;
      pen.lineWidth = 1;
      line(pen, x0, Math.round(top) + 0.5, x1, Math.round(top) + 0.5);
    }
  });
  pen.restore();
}

/** Slanted lines over a row that is not sung. */
function hatch(pen: Pen, colour: string, x0: number, x1: number, top: number, bottom: number, from: number): void {
  pen.save();
  pen.beginPath();
  pen.rect(x0, top, x1 - x0, bottom - top);
  pen.clip();
  pen.strokeStyle = colour;
  pen.lineWidth = 1;
  pen.beginPath();
  const h = bottom - top;
  for (let x = from - h; x < x1; x += HATCH) {
    pen.moveTo(x, bottom);
    pen.lineTo(x + h, top);
  }
  pen.stroke();
  pen.restore();
}

/** Nearer to a semitone than this a step bears its name alone. */
const AS_NAMED = 0.02;

/** "F♯", "D4", and for a step between the semitones how far it lies from the nearer one: "E −50". */
function ladderName({ at }: Row, key: Key | null, withOctave: boolean): string {
  const name = withOctave ? noteName(at, key) : stepName(Math.round(at), key);
  const off = Math.round((at - Math.round(at)) * 100);
  return Math.abs(off) < 100 * AS_NAMED ? name : `${name} ${off > 0 ? '+' : '−'}${Math.abs(off)}`;
}

function drawLadder(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v } = s;
  pen.save();
  pen.beginPath();
  pen.rect(0, l.field.top, l.ladder, l.field.bottom - l.field.top);
  pen.clip();
  pen.fillStyle = p.panel;
  pen.fillRect(0, l.field.top, l.ladder, l.field.bottom - l.field.top);
  const middle = (v.from + v.to) / 2;
  const { key, scale } = s.keys.findLast(k => k.from <= middle) ?? s.keys[0];
  const rows = rowsBetween(scale, v.low - 1, v.high + 1);
  const rowHeight = (l.field.bottom - l.field.top) / Math.max(1, rows.length - 2);
  const own = !inSemitones(scale);
  pen.textBaseline = 'middle';
  rows.forEach((row, i) => {
    const y = yOf(v, l, row.at);
    const degree = key ? row.degree : 1;
    const tonic = !!key && row.step === 0;
    const c = !own && pitchClass(row.at) === 0;
    if (rowHeight < 11 && !tonic && !c) return;
    pen.strokeStyle = p.ruleSoft;
    pen.lineWidth = 1;
    line(pen, 0, Math.round(yOf(v, l, row.high)) + 0.5, l.ladder, Math.round(yOf(v, l, row.high)) + 0.5);
    pen.fillStyle = degree ? p.ink : p.ink3;
    pen.font = font(11, tonic ? 700 : degree ? 600 : 500);
    pen.textAlign = 'left';
    pen.fillText(ladderName(row, key, tonic || c || i === 1), 10, y + 0.5);
    if (key && degree && Math.abs(row.at - Math.round(row.at)) < AS_NAMED) {
      pen.fillStyle = p.ink3;
      pen.font = font(10);
      pen.textAlign = 'right';
      pen.fillText(String(degree), l.ladder - 8, y + 0.5);
    }
  });
  pen.restore();
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, l.ladder - 0.5, l.ruler.bottom, l.ladder - 0.5, l.height);
}

/** Seconds between ruler marks at this zoom. */
function secondStep(seconds: number): number {
  return [0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60].find(step => seconds / step <= 10) ?? 120;
}

export const clock = (t: number, digits = 1): string =>
  `${t < 0 ? '−' : ''}${Math.floor(Math.abs(t) / 60)}:${(Math.abs(t) % 60).toFixed(digits).padStart(digits ? 3 + digits : 2, '0')}`;

function drawGrid(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v, song } = s;
  if (!song.tempo) return;
  const grid = new BarGrid(song.tempo);
  const pixels = ((l.width - l.ladder) * 60) / grid.bpmAt(v.from) / (v.to - v.from);
  for (const b of grid.beats(v.from, v.to)) {
    const whole = b.beat === 1;
    if (!whole && pixels < 14) continue;
    const x = Math.round(xOf(v, l, b.seconds)) + 0.5;
    if (x < l.ladder) continue;
    if (whole && pixels * song.tempo.beatsPerBar < 9 && (b.bar - 1) % 4) continue;
    pen.strokeStyle = whole ? p.rule : p.ruleSoft;
    pen.lineWidth = 1;
    line(pen, x, l.field.top, x, l.field.bottom);
  }
}

function drawRuler(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v, song } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, l.ruler.top, l.width, l.ruler.bottom - l.ruler.top);
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, 0, l.ruler.bottom - 0.5, l.width, l.ruler.bottom - 0.5);
  const y = (l.ruler.top + l.ruler.bottom) / 2 + 1;
  pen.save();
  pen.beginPath();
  pen.rect(l.ladder, l.ruler.top, l.width, l.ruler.bottom - l.ruler.top);
  pen.clip();
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  if (s.loop) {
    pen.fillStyle = fade(p.teal, 0.16);
    const x = xOf(v, l, s.loop.from);
    pen.fillRect(x, l.ruler.top + 1, xOf(v, l, s.loop.to) - x, l.ruler.bottom - l.ruler.top - 2);
  }
  if (song.tempo) {
    const grid = new BarGrid(song.tempo);
    const bar = (60 / grid.bpmAt(v.from)) * song.tempo.beatsPerBar;
    const pixels = ((l.width - l.ladder) * bar) / (v.to - v.from);
    const every = [1, 2, 4, 8, 16, 32].find(k => pixels * k > 64) ?? 64;
    for (let b = Math.max(0, grid.placeAt(v.from).bar - 1); grid.secondsOfBar(b + 1) <= v.to; b++) {
      const t = grid.secondsOfBar(b + 1);
      const x = xOf(v, l, t);
      const named = b % every === 0;
      pen.strokeStyle = named ? p.rule : p.ruleSoft;
      line(pen, Math.round(x) + 0.5, l.ruler.top + (named ? 4 : 14), Math.round(x) + 0.5, l.ruler.bottom);
      if (!named) continue;
      pen.font = font(11, 600);
      pen.fillStyle = p.ink2;
      const label = `bar ${b + 1}`;
      pen.fillText(label, x + 6, y);
      let next = x + 12 + pen.measureText(label).width;
      const chord = [...song.chords].reverse().find(c => c.start <= t + 0.01);
      if (chord && pixels * every > 90) {
        pen.fillStyle = p.teal;
        pen.fillText(chord.name, next, y);
        next += pen.measureText(chord.name).width + 10;
      }
      if (pixels * every > 150) {
        pen.font = font(10.5);
        pen.fillStyle = p.ink3;
        pen.fillText(clock(t), next, y);
      }
    }
  } else {
    const step = secondStep(v.to - v.from);
    for (let t = Math.ceil(Math.max(0, v.from) / step) * step; t <= v.to; t += step) {
      const x = xOf(v, l, t);
      pen.strokeStyle = p.rule;
      line(pen, Math.round(x) + 0.5, l.ruler.top + 14, Math.round(x) + 0.5, l.ruler.bottom);
      pen.font = font(10.5);
      pen.fillStyle = p.ink2;
      pen.fillText(clock(t, step < 1 ? 2 : 0), x + 5, y);
    }
  }
  pen.restore();
}

/** The whole song: phrases as cards with the loudness of the voice, and the window that is in view. */
function drawStrip(pen: Pen, s: Scene): void {
  const { layout: l, palette: p, view: v, duration } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, l.strip.top, l.width, l.strip.bottom - l.strip.top);
  pen.strokeStyle = p.rule;
  line(pen, 0, l.strip.bottom - 0.5, l.width, l.strip.bottom - 0.5);
  pen.fillStyle = p.ink2;
  pen.font = font(10.5, 600);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  pen.fillText('Song', 10, 26);
  const middle = (l.strip.top + l.strip.bottom) / 2;
  for (const phrase of s.phrases) {
    const x0 = stripX(l, duration, phrase.start);
    const x1 = stripX(l, duration, phrase.end);
    const here = phrase.end > v.from && phrase.start < v.to;
    pen.fillStyle = here ? p.tealSoft : p.ruleSoft;
    box(pen, x0, l.strip.top + 7, x1 - x0, 38, 8);
    pen.fill();
    if (!s.reading) continue;
    pen.fillStyle = here ? p.teal : p.ink3;
    const { levelDb, hop } = s.reading;
    for (let x = x0 + 5; x < x1 - 4; x += 3) {
      const a = Math.floor((((x - l.ladder) / (l.width - l.ladder - 8)) * duration) / hop);
      const b = Math.ceil(a + ((3 / (l.width - l.ladder - 8)) * duration) / hop);
      let loud = -120;
      for (let k = Math.max(0, a); k < Math.min(levelDb.length, b); k++) loud = Math.max(loud, levelDb[k]);
      const h = Math.max(1, Math.min(15, (loud + 52) * 0.42));
      pen.fillRect(x, middle - h, 1.8, 2 * h);
    }
  }
  const w0 = Math.max(l.ladder - 4, stripX(l, duration, v.from));
  const w1 = Math.min(l.width - 4, stripX(l, duration, v.to));
  pen.strokeStyle = p.ink;
  pen.lineWidth = 1.5;
  box(pen, w0, l.strip.top + 3.5, w1 - w0, 45, 9);
  pen.stroke();
  pen.lineWidth = 1;
}
