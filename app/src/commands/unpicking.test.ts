import { readMelodies } from '@essim/core';
import { singChord } from '@essim/demo';
import { closeSong, opened, openSong, useSession } from '../open-song';
import { addSong } from '../keeping/songs';
import { keepSource } from '../keeping/sources';
import { downloads, now, settled, song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import {
  addUnpicked,
  compassesOf,
  forgetUnpicked,
  giveUpCompass,
  hearLine,
  joinUnpicked,
  lineName,
  lineOf,
  linesOf,
  nudgeUnpicked,
  partUnpicked,
  setCompass,
  singBy,
  stepUnpicked,
  stopUnpicking,
  takeBackUnpicked,
  toggleNote,
  unpickedNow,
  unpickTrack,
  useUnpicked,
} from './unpicking';
import { guideByLine, singLine, trackToSing, unpickedAsMidi } from './unpicked-lines';

/** A recorded chord of two voices beside its lead, through the worker. */

const s = useSession.getState;
const chord = singChord(2, [0], 7);
const named = (name: string) => now().tracks.find(t => t.name === name)!;
let saved: ReturnType<typeof downloads>;

jest.setTimeout(30000);
beforeAll(async () => {
  allowWorkers();
  saved = downloads();
  const kept = await keepSource('chord.wav', 48000, [chord.samples]);
  await addSong(
    song(
      [
        track('Lead', [take('l', { sourceId: kept })]),
        track('Chord', [take('c', { sourceId: kept })], { role: 'backing' }),
      ],
      { key: { tonic: 2, mode: 'major' } },
    ),
  );
  await openSong('quay');
  await settled(() => s().takes.l?.status === 'ready');
});
afterAll(() => closeSong());
beforeEach(() => forgetUnpicked());

const unpicked = async (voices: number | null = 2) => {
  await unpickTrack(named('Chord'), voices);
  return unpickedNow()!;
};

it('finds the lines of a recording, tells how far it is, and keeps what was found', async () => {
  const told: number[] = [];
  const end = useUnpicked.subscribe(u => u.running && told.push(u.running.share));
  const found = await unpicked();
  end();
  expect(linesOf(found)).toEqual([0, 1]);
  expect(told.length).toBeGreaterThan(2);
  expect(useUnpicked.getState().running).toBeNull();
  chord.lines.forEach((truth, line) => {
    const hit = truth.filter(t =>
      lineOf(found, line).some(n => Math.abs(n.midi - t.sung) < 0.5 && n.start < t.end && n.end > t.start),
    );
    expect(hit.length / truth.length).toBeGreaterThan(0.7);
  });
  // said otherwise it is told at once, from the same evidence
  const one = await unpicked(1);
  expect(linesOf(one)).toEqual([0]);
  expect(lineName(one, 0)).toBe('Line 1');
});

it('a note taken out no longer counts, and comes back', async () => {
  const found = await unpicked();
  const all = lineOf(found, 0).length;
  const first = found.notes.findIndex(n => n.line === 0 && n.is === 'taken');
  toggleNote(first);
  expect(lineOf(unpickedNow()!, 0)).toHaveLength(all - 1);
  toggleNote(first);
  expect(lineOf(unpickedNow()!, 0)).toHaveLength(all);
});

it('is put right by hand, and what was done is taken back', async () => {
  const found = await unpicked();
  const was = found.notes;
  stepUnpicked(1);
  const i = useUnpicked.getState().chosen!;
  const note = () => unpickedNow()!.notes[useUnpicked.getState().chosen!];
  const { start, end } = note();
  nudgeUnpicked(i, 0.02);
  expect(note().start).toBeCloseTo(start + 0.02, 9);
  takeBackUnpicked();
  expect(unpickedNow()!.notes).toBe(was);
  partUnpicked(i, (start + end) / 2);
  expect(unpickedNow()!.notes).toHaveLength(was.length + 1);
  // the first of the two is still under the hand
  expect(note()).toMatchObject({ start });
  joinUnpicked(useUnpicked.getState().chosen!);
  expect(unpickedNow()!.notes).toHaveLength(was.length);
  singBy(i, note().line ? 0 : 1);
  addUnpicked(0.1, 0.4, 60);
  expect(unpickedNow()!.notes).toHaveLength(was.length + 1);
  for (let k = 0; k < 4; k++) takeBackUnpicked();
  expect(unpickedNow()!.notes).toBe(was);
  takeBackUnpicked();
});

it('is found anew when a compass is said; given up, it is as before', async () => {
  const found = await unpicked();
  const [top] = compassesOf(found);
  const pitches = lineOf(found, 0).map(n => n.midi);
  expect(top.low).toBeLessThanOrEqual(Math.round(Math.min(...pitches)));
  expect(top.high).toBeGreaterThanOrEqual(Math.round(Math.max(...pitches)));
  setCompass(0, { high: 60 }, true);
  expect(compassesOf(unpickedNow()!)[0].high).toBe(Math.max(60, top.low + 3));
  giveUpCompass();
  expect(unpickedNow()).toBe(found);
  const middle = Math.round((top.low + top.high) / 2);
  setCompass(0, { high: middle }, true);
  setCompass(0, { high: middle }, false);
  await settled(() => !useUnpicked.getState().running && unpickedNow() !== found && !!unpickedNow()?.compasses);
  await settled(() => unpickedNow()!.notes !== found.notes);
  expect(Math.max(...lineOf(unpickedNow()!, 0).map(n => n.midi))).toBeLessThan(middle + 0.7);
  takeBackUnpicked();
  expect(unpickedNow()).toBe(found);
});

it('is heard as tones, line by line, and no more when it is forgotten', async () => {
  const found = await unpicked();
  const sound = () => opened()!.melodies.get('unpicked')?.sound;
  hearLine(0);
  const first = sound()!;
  const note = lineOf(found, 0)[0];
  const at = Math.round((note.start + 0.05) * 48000);
  expect(Math.max(...first.subarray(at, at + 2000))).toBeGreaterThan(0.02);
  hearLine(1);
  expect(sound()).not.toBe(first);
  hearLine(0);
  hearLine(1);
  expect(sound()).toBeUndefined();
  hearLine(1);
  forgetUnpicked();
  expect(sound()).toBeUndefined();
});

it('a line is given a track to sing it on', async () => {
  const found = await unpicked();
  const id = trackToSing(found, 0)!;
  const made = now().tracks.find(t => t.id === id)!;
  expect(made).toMatchObject({ name: 'Line 1', role: 'harmony', takes: [], segments: [] });
  expect(made.guide!.notes).toHaveLength(lineOf(found, 0).length);
  expect(s().editTrackId).toBe(id);
});

it('a line becomes a part, a guide, a melody of a file', async () => {
  const found = await unpicked();
  singLine(found, 1, named('Lead'));
  const part = named('Line 2');
  expect(part.part).toMatchObject({ by: 'guide', fromId: named('Lead').id });
  expect(part.guide!.notes).toHaveLength(lineOf(found, 1).length);
  expect(guideByLine(found, 0, named('Lead'))).toBe(true);
  expect(named('Lead').guide!.notes.map(n => n.midi)).toEqual(lineOf(found, 0).map(n => Math.round(n.midi)));
  saved.length = 0;
  unpickedAsMidi(found);
  await settled(() => saved.length === 1);
  expect(saved[0].name).toBe('Chord.mid');
  expect(readMelodies(saved[0].bytes).map(t => t.notes.length)).toEqual([0, 1].map(l => lineOf(found, l).length));
});

it('stopped in the middle, nothing is found', async () => {
  const end = useUnpicked.subscribe(u => u.running && u.running.share > 0 && stopUnpicking());
  // another stretch of it, that was not looked at yet
  const other = { ...named('Chord'), segments: [{ at: 1, takeId: 'c', fadeMs: 12 }] as never };
  await unpickTrack({ ...other, takes: other.takes.map(t => ({ ...t, offsetSeconds: 1 })) }, 2);
  end();
  expect(unpickedNow()).toBeNull();
  expect(useUnpicked.getState().running).toBeNull();
});
