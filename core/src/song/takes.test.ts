import fc from 'fast-check';
import { AddTake, commandFrom, MoveTrack, RemoveTake, SetTake, SetTrack, Together, type Command } from './commands';
import { DOCUMENT_VERSION, Song, Take, Track, validatedSong } from './document';
import { History } from './history';
import { pickSpan } from './comp';

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

const ids = fc.constantFrom('lead', 'double', 'high');
const command: fc.Arbitrary<Command> = fc.oneof(
  fc.record({ id: ids, to: fc.nat(3) }).map(c => new MoveTrack('move', c.id, c.to)),
  fc.record({ id: ids, at: fc.nat(2) }).map(c => new AddTake('record', c.id, take(`${c.id}-new`), c.at)),
  fc.record({ id: ids, n: fc.constantFrom(1, 2) }).map(c => new RemoveTake('delete', c.id, `${c.id}-${c.n}`)),
  fc
    .record({ id: ids, offset: fc.integer({ min: -3, max: 3 }) })
    .map(c => new SetTake('shift', c.id, `${c.id}-1`, { offsetSeconds: c.offset, range: 'low' })),
  fc.record({ id: ids, from: fc.nat(9), n: fc.constantFrom(1, 2) }).map(
    c =>
      new SetTrack('pick', c.id, {
        segments: pickSpan([{ at: 0, takeId: `${c.id}-1`, fadeMs: 12 }], c.from, c.from + 2, {
          takeId: `${c.id}-${c.n}`,
        }),
      }),
  ),
);

describe('commands on takes and tracks', () => {
  it('give the song back when undone, alone and together, stored or not, and leave a valid song', () => {
    fc.assert(
      fc.property(fc.array(command, { minLength: 1, maxLength: 1 }), list => {
        const together = commandFrom(JSON.parse(JSON.stringify(new Together('all', list))));
        const before = song();
        const after = together.apply(before);
        expect(plain(together.invert(before).apply(after))).toEqual(plain(before));
        expect(() => validatedSong(plain(after))).not.toThrow();
      }),
    );
  });

  it('undo in reverse what was done together', () => {
    const both = new Together('both', [
      new AddTake('a', 'lead', take('lead-3'), 2),
      new SetTrack('b', 'lead', { segments: [{ at: 0, takeId: 'lead-3', fadeMs: 12 }] }),
      new RemoveTake('c', 'lead', 'lead-1'),
    ]);
    const { history } = new History(song()).do(both);
    expect(history.song.tracks[0].takes.map(t => t.id)).toEqual(['lead-2', 'lead-3']);
    expect(plain(history.undo()!.history.song)).toEqual(plain(song()));
  });

  it('hear another take where one was deleted', () => {
    const after = new RemoveTake('delete', 'lead', 'lead-2').apply(song());
    expect(after.tracks[0].segments).toEqual([{ at: 0, takeId: 'lead-1', fadeMs: 12 }]);
  });

  it('refuse a circle of followers', () => {
    const one = new SetTrack('follow', 'double', { followsId: 'lead' }).apply(song());
    expect(() => new SetTrack('follow', 'lead', { followsId: 'double' }).apply(one)).toThrow(/follow itself/);
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

  it('keep their journals: choosing a take is a comp of one', () => {
    const json = { type: 'set-track', label: 'take 2', trackId: 'lead', fields: { takeId: 'lead-2' }, gesture: null };
    expect(commandFrom(json).apply(song()).tracks[0].segments).toEqual([{ at: 0, takeId: 'lead-2', fadeMs: 12 }]);
  });

  it('are refused when their comp is broken', () => {
    const bad = (segments: unknown) => ({ ...song(), tracks: [{ ...song().tracks[0], segments }] });
    expect(() => validatedSong(bad([]))).toThrow(/comp is missing/);
    expect(() => validatedSong(bad([{ at: 1, takeId: 'lead-1', fadeMs: 0 }]))).toThrow(/from the start in order/);
    expect(() => validatedSong({ ...song(), tracks: [{ ...song().tracks[0], followsId: 'lead' }] })).toThrow(/circle/);
  });
});
