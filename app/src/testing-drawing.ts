import { noteKey, scaleOfKey, type NoteEdit, type Reading } from '@essim/core';
import type { Palette } from './field/palette';
import type { Scene } from './field/scene';
import { open, song, sung, take, tempo, track } from './testing';
import { sceneNow } from './testing-field';

/** What is drawn, as a list of strokes and words: where things lie, not how they look. */
export interface Stroke {
  points: [number, number][];
  width: number;
  style: string;
}
class Recorded {
  points: [number, number][] = [];
  moveTo(x: number, y: number) {
    this.points.push([x, y]);
  }
  lineTo(x: number, y: number) {
    this.points.push([x, y]);
  }
}
Object.assign(globalThis, { Path2D: Recorded });

export function recordingPen() {
  const words: { text: string; x: number; y: number }[] = [];
  const strokes: Stroke[] = [];
  const rects: { x: number; y: number; width: number; height: number }[] = [];
  const known: Record<string, unknown> = { lineWidth: 1 };
  let path = new Recorded();
  const does: Record<string, unknown> = {
    measureText: (text: string) => ({ width: 6 * text.length }),
    fillText: (text: string, x: number, y: number) => words.push({ text, x, y }),
    beginPath: () => (path = new Recorded()),
    moveTo: (x: number, y: number) => path.moveTo(x, y),
    lineTo: (x: number, y: number) => path.lineTo(x, y),
    roundRect: (x: number, y: number) => path.moveTo(x, y),
    bezierCurveTo: (...c: number[]) => path.lineTo(c[4], c[5]),
    fillRect: (x: number, y: number, width: number, height: number) => rects.push({ x, y, width, height }),
    stroke: (given?: Recorded) =>
      strokes.push({
        points: (given ?? path).points,
        width: known.lineWidth as number,
        style: String(known.strokeStyle),
      }),
  };
  const made = new Proxy(known, {
    get: (_, name: string) => does[name] ?? known[name] ?? (() => {}),
    set: (_, name: string, value) => {
      known[name] = value;
      return true;
    },
  }) as unknown as CanvasRenderingContext2D;
  return { pen: made, words, strokes, rects, said: () => words.map(w => w.text) };
}
export const palette = new Proxy({}, { get: (_, name) => String(name) }) as Palette;

/** Three notes 40 cents over C4; the second is meant to be D4 and pinned there. */
export async function drawnScene(more: Partial<Scene> = {}): Promise<Scene> {
  const read = sung(60.4, [3]);
  const notes = read.notes.map(n => ({ ...n, key: noteKey(n) }));
  const edits: Record<string, NoteEdit> = {
    [notes[1].key]: { start: notes[1].start, end: notes[1].end, target: 62, pinned: true },
  };
  const line = read.line.slice();
  line.fill(62, 220, 380);
  line.fill(NaN, 0, 20);
  const noises = [{ start: 2.91, end: 2.98, kind: 'sibilant' }] as Reading['noises'];
  const made = song(
    [
      track('lead', [take('a', { edits })], {
        phrases: [{ start: 0, end: 3, text: 'hear' }] as never,
      }),
    ],
    { key: { tonic: 0, mode: 'major' }, tempo: tempo(60) },
  );
  await open(made, { a: { ...read, reading: { ...read.reading!, noises }, notes, line } });
  return sceneNow({
    palette,
    song: made,
    duration: 8,
    keys: [
      {
        from: -Infinity,
        key: { tonic: 0, mode: 'major' },
        scale: scaleOfKey({ tonic: 0, mode: 'major' }),
      },
    ],
    sungLine: read.line,
    line,
    phrases: [],
    others: [],
    loop: null,
    span: null,
    edited: true,
    colour: 'teal',
    ...more,
  });
}
