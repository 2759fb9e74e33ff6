import { readMelodies } from '@essim/core';
import { singChord } from '@essim/demo';
import { closeSong, openSong, useSession } from '../open-song';
import { addSong } from '../keeping/songs';
import { keepSource } from '../keeping/sources';
import { downloads, now, settled, song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import {
  forgetUnpicked,
  guideByLine,
  lineName,
  lineOf,
  linesOf,
  singLine,
  stopUnpicking,
  toggleNote,
  unpickedAsMidi,
  unpickedNow,
  unpickTrack,
  useUnpicked,
} from './unpicking';

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
  const first = found.notes.findIndex(n => n.line === 0);
  toggleNote(first);
  expect(lineOf(unpickedNow()!, 0)).toHaveLength(all - 1);
  toggleNote(first);
  expect(lineOf(unpickedNow()!, 0)).toHaveLength(all);
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
