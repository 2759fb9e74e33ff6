import { editTrackOf, undo, useSession } from '../open-song';
import { now, open, song, sung, take, track } from '../testing';
import { TRACK_ACTIONS } from './track-actions';

const run = (id: string) => TRACK_ACTIONS.find(a => a.id === id)!.run();
const edited = () => editTrackOf(useSession.getState())!;

beforeEach(() => open(song([track('lead', [take('a')]), track('double', [take('b')])]), { a: sung(60, [3]) }));

it('the edited track is muted, soloed, levelled, panned and given a role by name', () => {
  run('mute');
  run('solo');
  expect(edited()).toMatchObject({ mute: true, solo: true });
  run('mute');
  expect(edited().mute).toBe(false);
  run('level-up');
  run('level-up');
  run('level-down');
  expect(edited().levelDb).toBe(1);
  for (let i = 0; i < 15; i++) run('track-left');
  expect(edited().pan).toBe(-1);
  run('role-harmony');
  expect(edited().role).toBe('harmony');
  undo();
  expect(edited().role).not.toBe('harmony');
});

it('tracks are added, copied and taken out', () => {
  run('duplicate-track');
  expect(now().tracks.map(t => t.name)).toEqual(['lead', 'lead copy', 'double']);
  run('new-track');
  expect(now().tracks).toHaveLength(4);
  expect(edited()).toMatchObject({ takes: [], segments: [], role: 'harmony' });
  run('delete-track');
  expect(now().tracks).toHaveLength(3);
});

it('every one has a name of its own and an id nobody else has', () => {
  expect(new Set(TRACK_ACTIONS.map(a => a.id)).size).toBe(TRACK_ACTIONS.length);
  expect(new Set(TRACK_ACTIONS.map(a => a.name)).size).toBe(TRACK_ACTIONS.length);
});
