import { box, fade, font, line, type Pen } from '../../field/draw/shapes';
import { Tags } from '../../field/draw/tags';
import type { Dress } from '../../field/dress';
import type { Palette } from '../../field/palette';
import { chosenIn, type Scene } from '../../field/scene';
import { layoutFor, xOf, type Band, type Layout } from '../../field/viewport';
import type { TonedNoise, TonedNote } from './tones';

/** A track over four lanes: pitch, small; level beside its phrase; noises beside their vowels; colour in eight bands. */
export interface ToneScene {
  colour: keyof Palette;
  notes: readonly TonedNote[];
  noises: readonly TonedNoise[];
  /** What a note's phrase has on the whole, as the reading tells levels. */
  phraseDb: Float32Array;
  listening: boolean;
}

export function toneLayout(width: number, height: number): Layout {
  const l = layoutFor(width, height);
  const rest = height - 78;
  const field = { top: 78, bottom: 78 + Math.round(rest * 0.26) };
  const hills = { top: field.bottom, bottom: field.bottom + Math.round(rest * 0.36) };
  const sounds = { top: hills.bottom, bottom: hills.bottom + Math.round(rest * 0.16) };
  const grain = { top: sounds.bottom, bottom: height };
  const none = { top: height, bottom: height };
  return { ...l, field, own: { hills, sounds, grain }, noises: none, level: none };
}

const NOWHERE: Band = { top: 0, bottom: 0 };
const hillsOf = (l: Layout): Band => l.own.hills ?? NOWHERE;
const soundsOf = (l: Layout): Band => l.own.sounds ?? NOWHERE;
const grainOf = (l: Layout): Band => l.own.grain ?? NOWHERE;

/** dB beside the phrase at the level lane's ends. */
const LEVELS = { high: 9, low: -18 };
/** A word is neither lost nor loud within so much of its phrase, dB. */
const FITS = 3;
/** dB over a noise's voice at its lane's ends. */
const NOISES = { high: 4, low: -44 };
/** Bands drawn, and how thick one is at no more than the others. */
const GRAINS = 8;
const GRAIN = 3;
/** A note stands out when its bands are this far from the others' on the average, dB. */
const STANDS_OUT = 6;

export const levelY = (l: Layout, db: number): number => {
  const { top, bottom } = hillsOf(l);
  const share = (LEVELS.high - Math.max(LEVELS.low, Math.min(LEVELS.high, db))) / (LEVELS.high - LEVELS.low);
  return top + 8 + share * (bottom - top - 12);
};
/** dB a pixel of the level lane. */
export const dbPerPixel = (l: Layout): number => (LEVELS.high - LEVELS.low) / (hillsOf(l).bottom - hillsOf(l).top - 12);

export const noiseY = (l: Layout, db: number): number => {
  const { top, bottom } = soundsOf(l);
  const share = (NOISES.high - Math.max(NOISES.low, Math.min(NOISES.high, db))) / (NOISES.high - NOISES.low);
  return top + 16 + share * (bottom - top - 20);
};
export const noiseDbPerPixel = (l: Layout): number =>
  (NOISES.high - NOISES.low) / (soundsOf(l).bottom - soundsOf(l).top - 20);

export const toneDress = (t: ToneScene): Dress => ({
  lanes(pen, s) {
    for (const draw of [drawHills, drawSounds, drawGrain]) {
      pen.save();
      draw(pen, s, t);
      pen.restore();
    }
  },
});

function ground(pen: Pen, s: Scene, { top, bottom }: Band, name: string): void {
  const { layout: l, palette: p } = s;
  pen.fillStyle = p.panel;
  pen.fillRect(0, top, l.width, bottom - top);
  pen.strokeStyle = p.rule;
  pen.lineWidth = 1;
  line(pen, 0, top + 0.5, l.width, top + 0.5);
  line(pen, l.ladder - 0.5, top, l.ladder - 0.5, bottom);
  pen.font = font(10.5, 600);
  pen.fillStyle = p.ink2;
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  pen.fillText(name, 8, top + 11);
}

const clipTo = (pen: Pen, l: Layout, { top, bottom }: Band): void => {
  pen.beginPath();
  pen.rect(l.ladder, top + 1, l.width - l.ladder, bottom - top - 1);
  pen.clip();
};

/** Level of a note's frames beside its phrase, so many pixels apart; as sung, or as it is. */
function* hill(s: Scene, t: ToneScene, i: number, now: boolean): Generator<[x: number, db: number]> {
  const { layout: l, view: v, reading } = s;
  const n = t.notes[i];
  const { levelDb, hop } = reading!;
  const phrase = t.phraseDb[i] ?? -30;
  const [x0, x1] = [Math.max(l.ladder - 4, xOf(v, l, n.start)), Math.min(l.width + 4, xOf(v, l, n.end))];
  for (let x = x0; x <= x1; x += 1.5) {
    const time = v.from + ((x - l.ladder) / (l.width - l.ladder)) * (v.to - v.from);
    const k = Math.round(time / hop);
    // over 30 ms: syllables, not periods
    let sum = 0;
    let count = 0;
    for (let j = Math.max(0, k - 3); j <= Math.min(levelDb.length - 1, k + 3); j++, count++)
      sum += 10 ** ((levelDb[j] + (now ? (s.gainDb?.[j] ?? 0) : 0)) / 10);
    yield [x, 10 * Math.log10(sum / Math.max(1, count) + 1e-12) - phrase];
  }
}

/** Each note's level as a hill beside its phrase: as sung dashed, as it is filled, three grips on the chosen one, shoulders for fades. */
function drawHills(pen: Pen, s: Scene, t: ToneScene): void {
  const { layout: l, palette: p, view: v } = s;
  const band = hillsOf(l);
  ground(pen, s, band, 'Level');
  pen.font = font(10);
  for (const db of [6, 0, -6, -12]) {
    pen.fillStyle = db ? p.ink2 : p[t.colour];
    pen.fillText(db ? `${db > 0 ? '+' : '−'}${Math.abs(db)} dB` : 'phrase', 8, levelY(l, db));
  }
  clipTo(pen, l, band);
  pen.fillStyle = fade(p[t.colour], 0.1);
  pen.fillRect(l.ladder, levelY(l, FITS), l.width - l.ladder, levelY(l, -FITS) - levelY(l, FITS));
  pen.strokeStyle = p.ruleSoft;
  pen.lineWidth = 1;
  for (const db of [6, -6, -12])
    line(pen, l.ladder, Math.round(levelY(l, db)) + 0.5, l.width, Math.round(levelY(l, db)) + 0.5);
  if (!s.reading) return;
  const chosen = chosenIn(s);
  const tags = new Tags(pen, p);
  t.notes.forEach((n, i) => {
    if (n.end < v.from || n.start > v.to) return;
    const [x0, x1] = [xOf(v, l, n.start), xOf(v, l, n.end)];
    pen.beginPath();
    pen.moveTo(x0, band.bottom);
    for (const [x, db] of hill(s, t, i, true)) pen.lineTo(x, levelY(l, db));
    pen.lineTo(x1, band.bottom);
    const isChosen = chosen.has(n.key);
    pen.fillStyle = fade(p[t.colour], isChosen ? 0.45 : 0.24);
    pen.fill();
    pen.strokeStyle = p[t.colour];
    pen.lineWidth = isChosen ? 2 : 1.2;
    pen.stroke();
    if (s.gainDb) {
      pen.beginPath();
      let first = true;
      for (const [x, db] of hill(s, t, i, false)) {
        if (first) pen.moveTo(x, levelY(l, db));
        else pen.lineTo(x, levelY(l, db));
        first = false;
      }
      pen.setLineDash([3, 3]);
      pen.strokeStyle = p.ink3;
      pen.lineWidth = 1;
      pen.stroke();
      pen.setLineDash([]);
    }
    if (n.edit?.silent) {
      pen.font = font(10, 600);
      pen.fillStyle = p.ink2;
      pen.fillText(n.edit.silent, x0 + 4, band.bottom - 12);
    }
    if (n.nowDb !== null && Math.abs(n.nowDb) > 5 && !n.edit?.silent && x1 - x0 > 20) {
      const y = Math.max(band.top + 18, Math.min(band.bottom - 18, levelY(l, n.nowDb) - 20));
      tags.put(`${n.nowDb > 0 ? '+' : '−'}${Math.abs(n.nowDb).toFixed(1)}`, x0 + 2, y);
    }
  });
  for (const g of grips(s, t)) {
    pen.fillStyle = p.panel;
    pen.strokeStyle = p[t.colour];
    pen.lineWidth = 1.8;
    pen.beginPath();
    if (g.what === 'fadeIn' || g.what === 'fadeOut') box(pen, g.x - 4, g.y - 4, 8, 8, 2);
    else pen.arc(g.x, g.y, 4.5, 0, 2 * Math.PI);
    pen.fill();
    pen.stroke();
  }
}

export type GripName = 'startDb' | 'middleDb' | 'endDb' | 'fadeIn' | 'fadeOut';
export interface Grip {
  x: number;
  y: number;
  what: GripName;
  note: TonedNote;
}

/** The grips of the one chosen note: on its hill, and at its shoulders. */
export function grips(s: Scene, t: ToneScene): Grip[] {
  const [key, ...more] = chosenIn(s);
  if (!key || more.length || !s.reading) return [];
  const i = t.notes.findIndex(n => n.key === key);
  const note = t.notes[i] as TonedNote | undefined;
  const { layout: l, view: v } = s;
  if (!note || note.end < v.from || note.start > v.to) return [];
  const tops = [...hill(s, t, i, true)];
  const [x0, x1] = [xOf(v, l, note.start), xOf(v, l, note.end)];
  const at = (x: number) => tops.reduce((a, b) => (Math.abs(b[0] - x) < Math.abs(a[0] - x) ? b : a), tops[0])?.[1] ?? 0;
  const grip = (what: GripName, x: number): Grip => ({ what, x, y: levelY(l, at(x)), note });
  const shoulder = (what: 'fadeIn' | 'fadeOut', x: number): Grip => ({ what, x, y: hillsOf(l).top + 12, note });
  const ms = (l.width - l.ladder) / (v.to - v.from) / 1000;
  const inset = Math.min(8, (x1 - x0) / 8);
  return [
    grip('startDb', x0 + inset),
    grip('middleDb', (x0 + x1) / 2),
    grip('endDb', x1 - inset),
    shoulder('fadeIn', x0 + (note.edit?.fadeIn ?? 0) * ms),
    shoulder('fadeOut', x1 - (note.edit?.fadeOut ?? 0) * ms),
  ];
}

const NAMES: Record<TonedNoise['kind'], string> = { sibilant: 's', plosive: 't', breath: 'breath', click: 'click' };

/** Each unpitched sound as high as it is beside its voice: hollow as sung, a tick at what is usual; over a stack a bracket. */
function drawSounds(pen: Pen, s: Scene, t: ToneScene): void {
  const { layout: l, palette: p, view: v } = s;
  const band = soundsOf(l);
  ground(pen, s, band, 'Noises');
  clipTo(pen, l, band);
  let free = l.ladder;
  for (const n of t.noises) {
    if (n.end < v.from || n.start > v.to) continue;
    const [x0, x1] = [xOf(v, l, n.start), Math.max(xOf(v, l, n.start) + 5, xOf(v, l, n.end))];
    const floor = band.bottom - 4;
    const [sung, now] = [noiseY(l, n.sungDb), noiseY(l, n.nowDb)];
    if (Math.abs(sung - now) > 1) {
      pen.strokeStyle = p.violet;
      pen.lineWidth = 1;
      box(pen, x0, sung, x1 - x0, Math.max(2, floor - sung), 3);
      pen.stroke();
    }
    pen.fillStyle = fade(p.violet, 0.18);
    box(pen, x0, now, x1 - x0, Math.max(2, floor - now), 3);
    pen.fill();
    pen.fillStyle = p.ink2;
    for (let x = x0 + 1.5; x < x1 - 1; x += 3.2)
      for (let y = now + 3; y < floor - 1; y += 3.6)
        pen.fillRect(x + ((Math.round(y) * 7) % 3) - 1, y + ((Math.round(x) * 5) % 3) - 1, 1.1, 1.1);
    pen.strokeStyle = p.ink;
    pen.lineWidth = 1.6;
    line(pen, x0 - 2, noiseY(l, n.usualDb), x1 + 2, noiseY(l, n.usualDb));
    if (n.together) {
      pen.lineWidth = 1.2;
      line(pen, x0, floor + 2.5, x1, floor + 2.5);
      line(pen, x0, floor + 2.5, x0, floor - 2);
      line(pen, x1, floor + 2.5, x1, floor - 2);
    }
    const by = n.nowDb - n.sungDb;
    const text = `${NAMES[n.kind]}${
      Math.abs(by) >= 0.05
        ? ` ${by > 0 ? '+' : '−'}${Math.abs(by)
            .toFixed(Math.abs(by) < 9.95 ? 1 : 0)
            .replace('.0', '')}`
        : ''
    }`;
    if (x0 < free) continue;
    pen.font = font(10);
    pen.fillStyle = p.ink2;
    pen.textAlign = 'left';
    pen.fillText(text, Math.max(l.ladder + 2, x0 - 1), band.top + 9);
    free = x0 + pen.measureText(text).width + 6;
  }
}

/** A voice's colour as the grain of wood: thick where a note has more of a band than others have; amber where it stands out. */
function drawGrain(pen: Pen, s: Scene, t: ToneScene): void {
  const { layout: l, palette: p, view: v } = s;
  const band = grainOf(l);
  ground(pen, s, band, 'Colour');
  const rows = Array.from(
    { length: GRAINS },
    (_, g) => band.bottom - 10 - (g * (band.bottom - band.top - 36)) / (GRAINS - 1),
  );
  pen.font = font(9.5);
  pen.fillStyle = p.ink2;
  pen.textAlign = 'right';
  ['.2', '.4', '.6', '1', '1.6', '2.7', '4.6', '8k'].forEach((name, g) => pen.fillText(name, l.ladder - 6, rows[g]));
  clipTo(pen, l, band);
  if (t.listening) {
    pen.textAlign = 'left';
    pen.fillText('listening to the sound …', l.ladder + 8, (band.top + band.bottom) / 2);
    return;
  }
  for (const n of t.notes) {
    if (!n.colour || n.end < v.from || n.start > v.to) continue;
    const [x0, x1] = [xOf(v, l, n.start) + 2, xOf(v, l, n.end) - 2];
    const now = Array.from(n.colour, (c, b) => c + (n.added?.[b] ?? 0));
    const off = Math.sqrt(now.reduce((sum, c) => sum + c * c, 0) / now.length);
    pen.strokeStyle = off > STANDS_OUT ? p.amber : fade(p[t.colour], 0.75);
    pen.lineCap = 'round';
    for (let g = 0; g < GRAINS; g++) {
      const more = (now[2 * g] + now[2 * g + 1]) / 2;
      pen.lineWidth = Math.max(0.6, Math.min(9, GRAIN + more * 0.55));
      line(pen, x0, rows[g], Math.max(x0 + 1, x1), rows[g]);
    }
  }
  pen.lineCap = 'butt';
}

/** The note whose hill is at a point. */
export function hillAt(s: Scene, t: ToneScene, x: number, y: number): TonedNote | null {
  const { layout: l, view: v } = s;
  const band = hillsOf(l);
  if (y < band.top || y > band.bottom) return null;
  return t.notes.find(n => x >= xOf(v, l, n.start) && x <= xOf(v, l, n.end)) ?? null;
}

export function noiseAt(s: Scene, t: ToneScene, x: number): TonedNoise | null {
  const { layout: l, view: v } = s;
  return (
    t.noises.find(n => x >= xOf(v, l, n.start) - 3 && x <= Math.max(xOf(v, l, n.start) + 5, xOf(v, l, n.end)) + 3) ??
    null
  );
}
