import { select } from '@essim/core';
import { Press, type FieldPointer } from '../../field/tool';
import { xOf } from '../../field/viewport';
import { choose, giveUp, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { open, song, sung, take, track, withSound } from '../../testing';
import { pointer, sceneNow, view } from '../../testing-field';
import { grips, levelY, noiseY, toneLayout } from './draw';
import { byKey, chosenTones, setClean, setFade, setNoises } from './edits';
import { toneScene } from './scene';
import { phraseDb, tonedNoises, tonedNotes } from './tones';
import { toneTool } from './tool';

const l = toneLayout(1000, 700);
const s = () => useSession.getState();

beforeEach(async () => {
  const voice = sung(60, [4]);
  voice.reading!.noises.push({ start: 0.92, end: 0.98, kind: 'sibilant' } as never);
  voice.reading!.levelDb.fill(-28, 184, 196);
  await open(song([track('Lead', [take('l')])]), { l: voice });
  withSound({ l: 4 });
  const frames = voice.reading!.f0.length;
  const colour = Float32Array.from(
    { length: Math.ceil(frames / 4) * 16 },
    (_, i) => (i / 16 < 50 ? 8 : -8) * (i % 2 ? 1 : -1),
  );
  const level = Float32Array.from({ length: frames }, (_, k) => (k < 200 ? -30 : -20));
  const sound = {
    loudnessDb: level,
    colour: { envelope: colour, power: colour.map(db => 10 ** (db / 10)) },
    clicks: [{ start: 2.5, end: 2.502, overDb: 20 }],
  };
  useSession.setState({
    view: { ...view, from: 0, to: 4 },
    takes: { l: { ...s().takes.l!, sound: () => sound } },
  });
  choose(select(s().editTrackId, [tonedNotes(s())[1].key]));
});
afterEach(() => setOpened(null));

const scene = () => sceneNow({ layout: l, view: s().view });
const at = (seconds: number, y: number, area: string): FieldPointer =>
  pointer(xOf(s().view, l, seconds), y, { time: seconds, area, scene: scene() });
const drag = (from: FieldPointer, to: FieldPointer) => {
  const press = new Press(from, toneTool);
  press.move(to);
  press.up(to);
};
const edit = (i: number) => tonedNotes(s())[i].edit;

it('tells notes beside their phrase, and noises beside their voices', () => {
  const notes = tonedNotes(s());
  expect(notes.map(n => Math.round(n.sungDb!))).toEqual([-10, 0, 0, 0]);
  expect(notes[0].colour![0]).toBeLessThan(notes[3].colour![0]);
  // beside what the notes have on the whole
  for (let b = 0; b < 16; b++) expect(notes.reduce((sum, n) => sum + n.colour![b], 0)).toBeCloseTo(0, 3);
  expect(phraseDb(s())[1]).toBeCloseTo(-20, 3);
  expect(tonedNoises(s()).map(n => [n.kind, Math.round(n.sungDb)])).toEqual([
    ['sibilant', -8],
    ['click', -30],
  ]);
});

it('lifts a hill by dragging it, tilts it by its grips, fades it by its shoulders', () => {
  drag(at(1.3, levelY(l, 0), 'hills'), at(1.3, levelY(l, 3), 'hills'));
  expect(edit(1)).toMatchObject({ startDb: 3, middleDb: 3, endDb: 3 });
  undo();
  const [first, , last, fadeIn] = grips(scene(), toneScene());
  drag(
    pointer(last.x, last.y, { area: 'hills', scene: scene() }),
    pointer(last.x, last.y + 40, { area: 'hills', scene: scene() }),
  );
  expect(edit(1)!.endDb).toBeLessThan(-3);
  expect(edit(1)!.startDb).toBeUndefined();
  undo();
  drag(
    pointer(fadeIn.x, fadeIn.y, { time: 1.1, area: 'hills', scene: scene() }),
    pointer(fadeIn.x + 60, fadeIn.y, { time: 1.3, area: 'hills', scene: scene() }),
  );
  expect(edit(1)!.fadeIn).toBe(200);
  expect(first.what).toBe('startDb');
});

it('leaves nothing of a press that is given up', () => {
  const press = new Press(at(1.5, levelY(l, 0), 'hills'), toneTool);
  press.move(at(1.5, levelY(l, 6), 'hills'));
  expect(edit(1)).toBeDefined();
  press.cancel();
  giveUp();
  expect(edit(1)).toBeUndefined();
});

it('turns one noise by its top, all of a kind by a fader', () => {
  const of = () => tonedNoises(s())[0];
  drag(at(0.95, noiseY(l, -8), 'sounds'), at(0.95, noiseY(l, -14), 'sounds'));
  expect(of().nowDb - of().sungDb).toBeCloseTo(-6, 0);
  undo();
  setNoises('sibilant', -9, {});
  expect(of().nowDb - of().sungDb).toBeCloseTo(-9, 3);
  setClean({ clicks: true });
  expect(tonedNoises(s())[1].nowDb).toBeLessThan(tonedNoises(s())[1].sungDb - 30);
});

it('is louder and softer by key, in one entry', () => {
  byKey(1);
  byKey(1);
  byKey(-0.1);
  expect(edit(1)!.middleDb).toBeCloseTo(1.9, 6);
  expect(chosenTones()).toHaveLength(1);
  expect(s().history!.entries).toHaveLength(1);
  setFade('outMs', 300, {});
  expect(edit(1)!.fadeOut).toBe(300);
});
