import { Chord, noteName, select, Tempo, type Candidate } from '@essim/core';
import { useUnpicked } from '../../commands/unpicking';
import { drawVoice } from '../../field/draw/notes';
import { cursorAt, Press } from '../../field/tool';
import { choose, editTrack, editViewOf, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { makeParts } from '../../commands/parts';
import { xOf, yOf } from '../../field/viewport';
import { now, open, song, sung, take, track, withSound } from '../../testing';
import { layout, pointer, sceneNow } from '../../testing-field';
import { palette, recordingPen } from '../../testing-drawing';
import { choirDress, choirNow, overWays, takeWay, waysNow } from './choir';
import { useSource } from './state';
import { partsTool } from './tool';

/** The Parts desk's field over six notes a second apart on C4, in C major, with chords: stones, compasses, other ways, unpicked rails. */

const s = useSession.getState;
const view = { from: 0, to: 8, low: 48, high: 80 };
const named = (name: string) => now().tracks.find(t => t.name === name)!;
const chord = (start: number, name: string) => Object.assign(new Chord(), { start, name });

beforeEach(async () => {
  await open(
    song([track('lead', [take('a')])], {
      key: { tonic: 0, mode: 'major' },
      tempo: Object.assign(new Tempo(), { bpm: 60, beatsPerBar: 4, firstBarSeconds: 0 }),
      chords: [chord(0, 'C'), chord(3, 'G')],
    }),
    { a: sung(60, [6]) },
  );
  withSound({ a: 6 });
  useSession.setState({ view, duration: 6 });
  const voices = [
    { name: 'High', low: 62, high: 74 },
    { name: 'Low', low: 50, high: 59 },
  ];
  makeParts('chord-parts', { voices }, named('lead'));
  // a part is read as its lead
  const { takes } = s();
  useSession.setState({
    takes: { ...takes, ...Object.fromEntries(now().tracks.flatMap(t => t.takes.map(k => [k.id, takes.a]))) },
  });
  editTrack(named('High').id);
});
afterEach(() => {
  setOpened(null);
  useSource.setState({ source: 'steps' });
  useUnpicked.setState({ found: null });
});

const scene = () =>
  sceneNow({
    layout,
    view,
    palette,
    song: now(),
    duration: 6,
    dress: choirDress,
    keys: [],
    phrases: [],
    others: [],
    loop: null,
    span: null,
    edited: true,
    colour: 'rose',
    line: new Float32Array(0),
    sungLine: new Float32Array(0),
    alternatives: [],
    whole: [],
    guide: null,
  });
const draw = () => {
  const made = recordingPen();
  drawVoice(made.pen, {
    ...scene(),
    keys: [{ from: -Infinity, key: null, scale: { name: '', steps: [0], period: 1200, root: 0 } as never }],
  });
  return made;
};
const point = (x: number, y: number) => pointer(x, y, {}, scene());
const target = (i: number) => editViewOf(s()).edits[editViewOf(s()).notes[i].key]?.target;

describe('a choir', () => {
  it('is what is led together, the highest first; nobody beside a lead', () => {
    expect(choirNow(s()).map(t => t.name)).toEqual(['High', 'Low']);
    editTrack(named('lead').id);
    expect(choirNow(s())).toEqual([]);
  });

  it('has compasses as brackets, dragged at either end, as one step; Esc gives it up', () => {
    const { strokes } = draw();
    const x = layout.ladder + 9;
    const [low, high] = [61.5, 74.5].map(m => yOf(view, layout, m));
    const bracket = strokes.find(q => q.points.length === 2 && q.points.every(p => Math.abs(p[0] - x) < 1));
    expect(bracket!.points.map(p => Math.round(p[1])).sort()).toEqual([low, high].map(Math.round).sort());
    expect(cursorAt(partsTool, point(x, low))).toBe('ns-resize');
    const press = new Press(point(x, low), partsTool);
    press.move(point(x, yOf(view, layout, 58.5)));
    expect(s().draft).not.toBeNull();
    press.cancel();
    expect(named('High').part).toMatchObject({ low: 62, high: 74 });
    const again = new Press(point(x, low), partsTool);
    const mark = again.move(point(x, yOf(view, layout, 58.5)));
    expect(mark!.tag!.text).toBe(noteName(59, { tonic: 0, mode: 'major' }));
    again.up(point(x, yOf(view, layout, 58.5)));
    expect(named('High').part).toMatchObject({ low: 59, high: 74 });
    undo();
    expect(named('High').part!.low).toBe(62);
  });

  it('no end goes over the other', () => {
    const x = layout.ladder + 9;
    const press = new Press(point(x, yOf(view, layout, 74.5)), partsTool);
    press.move(point(x, yOf(view, layout, 50)));
    press.up(point(x, yOf(view, layout, 50)));
    expect(named('High').part!.high).toBe(65);
  });
});

describe('other ways for the chosen note', () => {
  const first = () => choose(select(s().editTrackId, [editViewOf(s()).notes[1].key]));

  it('are offered for one note of a part by chords, none that it sings already', () => {
    expect(waysNow(s())).toEqual([]);
    first();
    const ways = waysNow(s());
    expect(ways.length).toBeGreaterThan(1);
    for (const w of ways) expect(w.pitch).not.toBeCloseTo(target(1)!, 3);
    expect(draw().said()).toEqual(expect.arrayContaining([noteName(ways[0].pitch, { tonic: 0, mode: 'major' })]));
    choose(
      select(
        s().editTrackId,
        editViewOf(s()).notes.map(n => n.key),
      ),
    );
    expect(waysNow(s())).toEqual([]);
  });

  it('are heard by pointing without a change, and taken by click', () => {
    first();
    const [way] = waysNow(s());
    const over = point(xOf(view, layout, way.from) + 8, yOf(view, layout, way.pitch));
    overWays(over);
    expect(s().draft).not.toBeNull();
    overWays(null);
    expect(s().draft).toBeNull();
    const before = [0, 1, 2].map(target);
    new Press(over, partsTool).up(over);
    expect([0, 1, 2].map(target)).toEqual([before[0], way.pitch, before[2]]);
    undo();
    expect(takeWay(waysNow(s())[0])).toBe(true);
    expect(target(1)).not.toBe(before[1]);
  });
});

describe('what was unpicked', () => {
  const note = (line: number, midi: number, start: number): Candidate => ({
    line,
    midi,
    start,
    end: start + 0.8,
    strength: 0.7,
    is: 'taken',
  });
  const find = () =>
    useUnpicked.setState({
      found: {
        trackId: named('lead').id,
        name: 'lead',
        voices: 2,
        compasses: null,
        notes: [note(0, 76, 1), note(1, 52, 1), note(0, 76, 3)],
      },
    });

  it('lies in the field while that source is chosen, each line in its colour', () => {
    find();
    const rails = () => draw().strokes.filter(q => q.style.includes('color-mix') && q.points.length === 1);
    expect(rails()).toHaveLength(0);
    useSource.setState({ source: 'unpick' });
    expect(rails()).toHaveLength(3);
    expect(new Set(rails().map(r => r.style)).size).toBe(2);
  });

  it('is taken out and in by click; nothing of the song changes', () => {
    find();
    useSource.setState({ source: 'unpick' });
    const before = now();
    const on = point(xOf(view, layout, 1.4), yOf(view, layout, 76));
    expect(cursorAt(partsTool, on)).toBe('pointer');
    new Press(on, partsTool).up(on);
    const out = () => useUnpicked.getState().found!.notes.map(n => n.is !== 'taken');
    expect(out()).toEqual([true, false, false]);
    new Press(on, partsTool).up(on);
    expect(out()).toEqual([false, false, false]);
    expect(now()).toBe(before);
  });
});
