import { candidateShares, CANDIDATES_PER_FRAME, hzToMidi, noteName, type Span } from '@essim/core';
import { box, fade, font, line, type Pen } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import type { Scene, SceneNote } from '../../field/scene';
import { RAIL_HALF, xOf, yOf } from '../../field/viewport';

/** What the Listen desk shows besides the voice: where the evidence lies, what is doubtful, what is about to be cut. */

/** How sure the reading is, and what is being done about it. Song time. */
export interface ListenScene {
  /** Other ways to hear what is chosen: rails to click. */
  hearings: (Span & { midi: number; share: number })[];
  doubts: (Span & { midi: number })[];
  /** Where the chosen notes would be cut. */
  cuts: number[];
  /** Stretches whose pitch was chosen without evidence. */
  assumed: Span[];
}

export const listenDress = (listen: ListenScene): Dress => ({
  under: drawEvidence,
  over: (pen, s, visible) => drawListen(pen, s, listen, visible),
});

const SHADES = 4;
const LEAST_SHARE = 0.02;
/** Evidence this near the line is the line's own. */
const OWN_SEMITONES = 0.8;

/** Every candidate of every frame in view: what the line follows in its colour, the others darker the likelier they are. */
function drawEvidence(pen: Pen, s: Scene): void {
  const { reading, view: v, layout: l } = s;
  if (!reading) return;
  const { candidates: c, hop } = reading;
  const first = Math.max(0, Math.floor(v.from / hop / 2));
  const last = Math.min(c.count.length - 1, Math.ceil(v.to / hop / 2));
  const pixels = ((l.width - l.ladder) / (v.to - v.from)) * 2 * hop;
  const step = Math.max(1, Math.floor(1.5 / pixels));
  const rowHeight = (l.field.bottom - l.field.top) / (v.high - v.low);
  const half = Math.max(2, Math.min(7, rowHeight * 0.28));
  const others = Array.from({ length: SHADES }, () => new Path2D());
  const line = new Path2D();
  for (let k = first; k <= last; k += step) {
    if (!c.count[k]) continue;
    const x = xOf(v, l, 2 * k * hop);
    candidateShares(reading, k).forEach((share, j) => {
      const midi = hzToMidi(c.hz[k * CANDIDATES_PER_FRAME + j]);
      if (share < LEAST_SHARE || midi < v.low - 1 || midi > v.high + 1) return;
      const shade = Math.min(SHADES - 1, Math.floor(Math.sqrt(share) * SHADES));
      const own = Math.abs(midi - s.sungLine[2 * k]) < OWN_SEMITONES;
      (own ? line : others[shade]).rect(x - 0.5, yOf(v, l, midi) - half, Math.max(1.5, pixels * step + 0.5), 2 * half);
    });
  }
  pen.fillStyle = fade(s.palette.teal, 0.16);
  pen.fill(line);
  others.forEach((path, i) => {
    pen.fillStyle = fade(s.palette.amber, 0.12 + 0.16 * i);
    pen.fill(path);
  });
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

function drawListen(pen: Pen, s: Scene, listen: ListenScene, visible: readonly SceneNote[]): void {
  const { view: v, layout: l, palette: p } = s;
  // borders can be grabbed
  pen.strokeStyle = p.tealDeep;
  pen.lineWidth = 1.5;
  for (const n of visible) {
    const y = yOf(v, l, n.rail);
    for (const t of [n.from, n.to]) {
      const x = Math.round(xOf(v, l, t)) + 0.5;
      line(pen, x, y - RAIL_HALF - 3, x, y + RAIL_HALF + 3);
    }
  }
  // other ways to hear what is chosen
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  for (const h of listen.hearings) {
    const [x0, x1, y] = [xOf(v, l, h.start), xOf(v, l, h.end), yOf(v, l, h.midi)];
    pen.strokeStyle = p.amber;
    pen.lineWidth = 1.2;
    pen.setLineDash([4, 3]);
    box(pen, x0, y - RAIL_HALF, x1 - x0, 2 * RAIL_HALF, 5);
    pen.fillStyle = fade(p.card, 0.75);
    pen.fill();
    pen.stroke();
    pen.setLineDash([]);
    pen.font = font(10.5, 600);
    pen.fillStyle = p.amber;
    const key = (s.keys.findLast(k => k.from <= h.start) ?? s.keys[0])?.key ?? null;
    pen.fillText(`${noteName(h.midi, key)} ${percent(h.share)}`, x0 + 5, y + 0.5);
  }
  for (const q of listen.assumed) {
    if (q.end < v.from || q.start > v.to) continue;
    const [x0, x1] = [xOf(v, l, q.start), xOf(v, l, q.end)];
    pen.strokeStyle = p.amber;
    pen.lineWidth = 2;
    pen.setLineDash([2, 4]);
    line(pen, x0, l.field.bottom - 4, x1, l.field.bottom - 4);
    pen.setLineDash([]);
    pen.font = font(10, 600);
    pen.fillStyle = p.amber;
    pen.fillText('assumed', x0 + 2, l.field.bottom - 12);
  }
  for (const d of listen.doubts) {
    const x = xOf(v, l, (d.start + d.end) / 2);
    const y = Math.max(l.field.top + 10, yOf(v, l, d.midi) - RAIL_HALF - 22);
    pen.fillStyle = p.amberSoft;
    pen.beginPath();
    pen.arc(x, y, 7, 0, 7);
    pen.fill();
    pen.fillStyle = p.amber;
    pen.font = font(10.5, 700);
    pen.textAlign = 'center';
    pen.fillText('?', x, y + 0.5);
    pen.textAlign = 'left';
  }
  pen.strokeStyle = p.rose;
  pen.lineWidth = 1.4;
  pen.setLineDash([5, 3]);
  for (const t of listen.cuts) {
    const x = Math.round(xOf(v, l, t)) + 0.5;
    line(pen, x, l.field.top, x, l.field.bottom);
  }
  pen.setLineDash([]);
}
