import { removeTake, setTrack } from './change';
import { validatedSong } from './check';
import { DOCUMENT_VERSION, Song, Take, Track } from './document';
import { Step } from './step';

const take = (id: string) => Object.assign(new Take(), { id, name: id, sourceId: 'a'.repeat(64), offsetSeconds: 0 });
function song(): Song {
  const tracks = ['lead', 'double', 'high'].map(id =>
    Object.assign(new Track(), {
      id,
      name: id,
      role: 'lead',
      takes: [take(`${id}-1`), take(`${id}-2`)],
      segments: [
        { at: 0, takeId: `${id}-1`, fadeMs: 12 },
        { at: 4, takeId: `${id}-2`, fadeMs: 20 },
      ],
    }),
  );
  return Object.assign(new Song(), { id: 'song', name: 'Ferry Lamp', sampleRate: 48000, tracks });
}
const plain = (s: Song) => JSON.parse(JSON.stringify(s)) as unknown;

describe('takes and followers', () => {
  it('hear another take where one was deleted', () => {
    const after = removeTake('lead', 'lead-2')(song());
    expect(after.tracks[0].segments).toEqual([{ at: 0, takeId: 'lead-1', fadeMs: 12 }]);
  });

  it('refuse a circle of followers', () => {
    const one = setTrack('double', { followsId: 'lead' })(song());
    const two = setTrack('lead', { followsId: 'double' })(one);
    expect(() => Step.between(one, two)!.check(two)).toThrow(/circle/);
  });
});

describe('songs of the first version', () => {
  it('are brought forward: the heard take becomes the comp', () => {
    const old = plain(song()) as { version: number; tracks: Record<string, unknown>[] };
    old.version = 1;
    for (const t of old.tracks) {
      delete t.segments;
      delete t.phrases;
      t.takeId = `${String(t.id)}-2`;
    }
    const now = validatedSong(old);
    expect(now.version).toBe(DOCUMENT_VERSION);
    expect(now.tracks[0].segments).toEqual([expect.objectContaining({ at: 0, takeId: 'lead-2' })]);
  });

  it('are refused when their comp is broken', () => {
    const bad = (segments: unknown) => ({ ...song(), tracks: [{ ...song().tracks[0], segments }] });
    expect(() => validatedSong(bad([]))).toThrow(/comp is missing/);
    expect(() => validatedSong(bad([{ at: 1, takeId: 'lead-1', fadeMs: 0 }]))).toThrow(/from the start in order/);
    expect(() => validatedSong({ ...song(), tracks: [{ ...song().tracks[0], followsId: 'lead' }] })).toThrow(/circle/);
  });
});
