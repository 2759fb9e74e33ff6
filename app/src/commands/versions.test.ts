import { act, goInHistory, setEdited, undo, useSession } from '../open-song';
import { now, open, song, sung, take, track } from '../testing';
import {
  forgetVersion,
  goBackTo,
  hearNextVersion,
  hearVersion,
  keepVersion,
  nextVersionName,
  versionHeard,
} from './versions';

const s = useSession.getState;
const shown = () => s().draft?.song ?? s().history!.song;
const targets = () => shown().tracks[0].takes[0].edits;
const moved = () => Object.keys(targets()).length;

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(60.3, [3]) });
  setEdited(true);
});

it('a version is kept under the next name, with when it was', () => {
  expect(nextVersionName()).toBe('Version 1');
  const before = Date.now();
  expect(keepVersion('Version 1')).toBe(true);
  expect(nextVersionName()).toBe('Version 2');
  expect(now().versions[0].madeAt).toBeGreaterThanOrEqual(before);
  expect(keepVersion('Version 1')).toBe(false);
  expect(now().versions).toHaveLength(1);
});

it('is heard in the place of the song without changing it, and gone back to as one step', () => {
  keepVersion('As sung');
  act('settle', {});
  const edited = moved();
  expect(edited).toBe(3);
  const [version] = now().versions;
  hearVersion(version);
  expect(versionHeard(s())?.id).toBe(version.id);
  expect(moved()).toBe(0);
  expect(now().tracks[0].takes[0].edits).not.toEqual({});
  hearVersion(version);
  expect(versionHeard(s())).toBeNull();
  expect(moved()).toBe(edited);
  // through them by key
  hearNextVersion();
  expect(versionHeard(s())?.name).toBe('As sung');
  hearNextVersion();
  expect(versionHeard(s())).toBeNull();
  // anything that is done is done to the song, not to what is heard
  hearVersion(version);
  act('master', { levelDb: -2 });
  expect(now().masterDb).toBe(-2);
  expect(moved()).toBe(edited);
  goBackTo(version);
  expect(moved()).toBe(0);
  expect(now().masterDb).toBe(0);
  undo();
  expect(moved()).toBe(edited);
  forgetVersion(version);
  expect(now().versions).toEqual([]);
});

it('the journal is gone through to any moment and back', () => {
  act('settle', {});
  act('move', { semitones: 1 });
  act('master', { levelDb: -3 });
  const { entries } = s().history!;
  expect(entries).toHaveLength(3);
  const last = now();
  goInHistory(1);
  expect(now().masterDb).toBe(0);
  expect(Object.values(targets())[0].target).toBeCloseTo(60, 6);
  goInHistory(0);
  expect(moved()).toBe(0);
  goInHistory(3);
  expect(now()).toEqual(last);
  goInHistory(99);
  expect(s().history!.cursor).toBe(3);
});
