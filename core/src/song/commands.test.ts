import fc from 'fast-check';
import { AddTrack, commandFrom, RemoveTrack, SetNoteEdits, SetSong, SetTrack, type Command } from './commands';
import { DocumentError, Song, Take, Track, validatedSong, type NoteEdit } from './document';
import { entryFrom, History, storedEntry } from './history';

const SOURCE = 'a'.repeat(64);

function songWith(tracks: number): Song {
  const list = Array.from({ length: tracks }, (_, i) => {
    const take = Object.assign(new Take(), {
      id: `take-${i}`,
      name: 'Take 1',
      sourceId: SOURCE,
      offsetSeconds: 0,
      edits: { n0: { start: 0, end: 1, target: 60 } },
    });
    return Object.assign(new Track(), {
      id: `track-${i}`,
      name: `Track ${i}`,
      role: 'lead',
      takes: [take],
      segments: [{ at: 0, takeId: take.id, fadeMs: 12 }],
    });
  });
  return Object.assign(new Song(), { id: 'song', name: 'Ferry Lamp', sampleRate: 48000, tracks: list });
}

const edit = fc.record({
  start: fc.nat(60),
  end: fc.nat(60),
  target: fc.integer({ min: 40, max: 80 }),
  aim: fc.option(fc.nat(100), { nil: undefined }),
}) as fc.Arbitrary<NoteEdit>;
const command: fc.Arbitrary<Command> = fc.oneof(
  fc
    .record({
      track: fc.nat(2),
      edits: fc.dictionary(fc.constantFrom('n0', 'n1', 'n2'), fc.option(edit)),
      gesture: fc.option(fc.constantFrom('g1', 'g2')),
    })
    .map(c => new SetNoteEdits('edit', `track-${c.track}`, `take-${c.track}`, c.edits, c.gesture)),
  fc.constantFrom({ tonic: 2, mode: 'major' as const }, null).map(key => new SetSong('key', { key })),
  fc.string({ minLength: 1 }).map(name => new SetSong('rename', { name })),
  fc
    .record({ track: fc.nat(2), levelDb: fc.integer({ min: -40, max: 12 }), gesture: fc.option(fc.constant('level')) })
    .map(c => new SetTrack('level', `track-${c.track}`, { levelDb: c.levelDb }, c.gesture)),
);

/** A command whose track may have been removed meanwhile is left out. */
const applicable = (song: Song, c: Command) =>
  !('trackId' in c) || song.tracks.some(t => t.id === (c as SetTrack).trackId);
const plain = (song: Song) => JSON.parse(JSON.stringify(song)) as unknown;

describe('commands', () => {
  it('apply then invert is identity, before and after storing', () => {
    fc.assert(
      fc.property(command, c => {
        const before = songWith(3);
        const stored = commandFrom(JSON.parse(JSON.stringify(c)));
        const after = stored.apply(before);
        expect(plain(after)).toEqual(plain(c.apply(before)));
        expect(plain(commandFrom(JSON.parse(JSON.stringify(c.invert(before)))).apply(after))).toEqual(plain(before));
      }),
    );
  });

  it('never change the song they are applied to', () => {
    fc.assert(
      fc.property(command, c => {
        const before = songWith(3);
        const copy = plain(before);
        c.apply(before);
        expect(plain(before)).toEqual(copy);
      }),
    );
  });

  it('add and remove tracks in place', () => {
    const song = songWith(3);
    const remove = new RemoveTrack('remove', 'track-1');
    const without = remove.apply(song);
    expect(without.tracks.map(t => t.id)).toEqual(['track-0', 'track-2']);
    expect(plain(remove.invert(song).apply(without))).toEqual(plain(song));
    expect(new AddTrack('add', song.tracks[0], 1).apply(without).tracks).toHaveLength(3);
  });

  it('refuse a track that is not there', () => {
    expect(() => new SetTrack('x', 'nowhere', { mute: true }).apply(songWith(1))).toThrow(/no track nowhere/);
    expect(() => commandFrom({ type: 'conjure' })).toThrow(/unknown command conjure/);
  });
});

describe('history', () => {
  it('undoes everything and redoes everything, however long', () => {
    fc.assert(
      fc.property(fc.array(command, { maxLength: 40 }), commands => {
        const start = new History(songWith(3));
        let history = start;
        for (const c of commands) if (applicable(history.song, c)) history = history.do(c).history;
        const end = plain(history.song);
        while (history.canUndo) history = history.undo()!.history;
        expect(plain(history.song)).toEqual(plain(start.song));
        while (history.canRedo) history = history.redo()!.history;
        expect(plain(history.song)).toEqual(end);
      }),
    );
  });

  it('a journal written from the changes alone is the history', () => {
    fc.assert(
      fc.property(
        fc.array(fc.oneof(command, fc.constant('undo' as const), fc.constant('redo' as const)), { maxLength: 30 }),
        steps => {
          let history = new History(songWith(3));
          let journal: unknown[] = [];
          let cursor = 0;
          for (const step of steps) {
            const done = step === 'undo' ? history.undo() : step === 'redo' ? history.redo() : history.do(step);
            if (!done) continue;
            ({ history } = done);
            const { change } = done;
            if (change.entries.length) journal = [...journal.slice(0, change.from), ...change.entries.map(storedEntry)];
            cursor = change.cursor;
          }
          const reopened = new History(
            history.song,
            journal.map(j => entryFrom(JSON.parse(JSON.stringify(j)))),
            cursor,
          );
          expect(plain(reopened.undo()?.history.song ?? history.song)).toEqual(
            plain(history.undo()?.history.song ?? history.song),
          );
          expect(plain(reopened.redo()?.history.song ?? history.song)).toEqual(
            plain(history.redo()?.history.song ?? history.song),
          );
        },
      ),
    );
  });

  it('makes one entry of a gesture', () => {
    let history = new History(songWith(1));
    for (const aim of [10, 40, 70])
      history = history.do(
        new SetNoteEdits('aim', 'track-0', 'take-0', { n5: { start: 5, end: 6, target: 60, aim } }, 'drag'),
      ).history;
    expect(history.entries).toHaveLength(1);
    expect(history.undo()!.history.song.tracks[0].takes[0].edits.n5).toBeUndefined();
    history = history.do(new SetNoteEdits('aim', 'track-0', 'take-0', { n5: null }, 'another')).history;
    expect(history.entries).toHaveLength(2);
  });
});

describe('documents from outside', () => {
  it('come back as they went', () => {
    const song = songWith(2);
    expect(plain(validatedSong(plain(song)))).toEqual(plain(song));
  });

  it.each([
    ['a newer version', { ...songWith(1), version: 99 }, /newer Essim/],
    ['a bad pan', { ...songWith(1), tracks: [{ ...songWith(1).tracks[0], pan: 7 }] }, /tracks\.0\.pan/],
    [
      'a bad edit',
      {
        ...songWith(1),
        tracks: [
          {
            ...songWith(1).tracks[0],
            takes: [{ ...songWith(1).tracks[0].takes[0], edits: { n0: { start: 0, end: 1, target: 'high' } } }],
          },
        ],
      },
      /target/,
    ],
    [
      'a missing take',
      { ...songWith(1), tracks: [{ ...songWith(1).tracks[0], segments: [{ at: 0, takeId: 'gone', fadeMs: 12 }] }] },
      /take that is not there/,
    ],
    ['no song at all', 'hello', /song/],
  ])('are refused with the field: %s', (_, value, reason) => {
    expect(() => validatedSong(value)).toThrow(DocumentError);
    expect(() => validatedSong(value)).toThrow(reason);
  });
});
