import { useSession } from '../open-song';
import { undo } from '../open-song';
import { deleteTrack, duplicateTrack, follow, moveTrack, setPhrases, shiftTrack } from './tracks';
import { now, open, song, sung, take, track } from '../testing';

const three = () =>
  open(
    song([
      track('lead', [take('a'), take('b')]),
      track('double', [take('c')], { role: 'double', followsId: 'lead' }),
      track('third', [take('d')], { role: 'harmony', followsId: 'lead' }),
    ]),
    { a: sung(60, [3, 2]) },
  );
const names = () => now().tracks.map(t => t.name);

describe('tracks', () => {
  beforeEach(three);

  it('are ordered, within bounds', () => {
    moveTrack('third', 0);
    expect(names()).toEqual(['third', 'lead', 'double']);
    moveTrack('third', 99);
    expect(names()).toEqual(['lead', 'double', 'third']);
    shiftTrack(1);
    expect(names()).toEqual(['double', 'lead', 'third']);
  });

  it('are copied with takes of their own', () => {
    duplicateTrack(now().tracks[0]);
    expect(names()).toEqual(['lead', 'lead copy', 'double', 'third']);
    const [first, copy] = now().tracks;
    expect(copy.takes.map(t => t.sourceId)).toEqual(first.takes.map(t => t.sourceId));
    expect(copy.takes.some(t => first.takes.some(k => k.id === t.id))).toBe(false);
    expect(copy.segments[0].takeId).toBe(copy.takes[0].id);
  });

  it('let their followers go when they are deleted, and get them back', () => {
    deleteTrack(now().tracks[0]);
    expect(now().tracks.map(t => t.followsId)).toEqual([null, null]);
    expect(useSession.getState().editTrackId).toBe('double');
    undo();
    expect(now().tracks.map(t => t.followsId)).toEqual([null, 'lead', 'lead']);
  });

  it('follow each other, but never in a circle', () => {
    follow(now().tracks[2], 'double');
    expect(now().tracks[2].followsId).toBe('double');
    follow(now().tracks[0], 'third');
    expect(now().tracks[0].followsId).toBeNull();
    follow(now().tracks[2], null);
    expect(now().tracks[2].followsId).toBeNull();
  });

  it('keep phrases as changed, those found until then', () => {
    expect(now().tracks[0].phrases).toBeNull();
    setPhrases('Name', list => list.map((p, i) => ({ ...p, name: `phrase ${i}` })));
    expect(now().tracks[0].phrases!.map(p => p.name)).toEqual(['phrase 0', 'phrase 1']);
  });
});
