import fc from 'fast-check';
import { DocumentError, validatedSong } from './check';
import {
  addTakes,
  addTrack,
  moveTrack,
  removeTake,
  removeTrack,
  setSong,
  setTake,
  setTrack,
  type Change,
} from './change';
import { Chord, NoteEdit, PartRule, Song, Take, Tempo, Track, Word } from './document';
import { entryFrom, History, storedEntry, TOGETHER_MS, type JournalEntry } from './history';
import { withParts } from './parts';
import { Step } from './step';

const SOURCE = 'a'.repeat(64);
const take = (id: string, fields: Partial<Take> = {}): Take =>
  Object.assign(new Take(), { id, name: id, sourceId: SOURCE, offsetSeconds: 0, ...fields });

function songWith(tracks: number): Song {
  const list = Array.from({ length: tracks }, (_, i) =>
    Object.assign(new Track(), {
      id: `track-${i}`,
      name: `Track ${i}`,
      role: 'lead',
      takes: [take(`take-${i}`, { edits: { x: { start: 0, end: 1, target: 60 } } })],
      segments: [{ at: 0, takeId: `take-${i}`, fadeMs: 12 }],
    }),
  );
  const part = Object.assign(new Track(), {
    id: 'third',
    name: 'Third above',
    role: 'part',
    part: Object.assign(new PartRule(), { fromId: 'track-0', by: 'steps', amount: 2 }),
  });
  return withParts(
    Object.assign(new Song(), { id: 'song', name: 'Ferry Lamp', sampleRate: 48000, tracks: [...list, part] }),
  );
}
const plain = (value: unknown) => JSON.parse(JSON.stringify(value)) as unknown;

const edit: fc.Arbitrary<NoteEdit> = fc
  .record({
    start: fc.nat(60),
    length: fc.nat(4),
    target: fc.integer({ min: 40, max: 80 }),
    aim: fc.option(fc.nat(100), { nil: undefined }),
  })
  .map(({ start, length, ...e }) => ({ start, end: start + length, ...e }));

const words = fc
  .array(fc.record({ start: fc.nat(60), text: fc.constantFrom('ferry', 'lamp') }), { maxLength: 5 })
  .map(list => list.map(w => ({ ...w, end: w.start + 1 }) as Word));

/** Changes of every shape a song has: fields, lists with ids and without, edits, single records, parts. */
const change: fc.Arbitrary<Change> = fc.oneof(
  fc
    .record({ track: fc.nat(2), edits: fc.dictionary(fc.constantFrom('x', 'y', 'z'), edit) })
    .map(c => setTake(`track-${c.track}`, `take-${c.track}`, { edits: c.edits })),
  fc.record({ track: fc.nat(2), words }).map(c => setTake(`track-${c.track}`, `take-${c.track}`, { words: c.words })),
  fc.constantFrom({ tonic: 2, mode: 'major' as const }, null).map(key => setSong({ key })),
  fc.string({ minLength: 1, maxLength: 40 }).map(name => setSong({ name })),
  fc
    .array(fc.record({ start: fc.nat(90), name: fc.constantFrom('D', 'G', 'A7') }), { maxLength: 5 })
    .map(chords => setSong({ chords: chords as Chord[] })),
  fc.option(fc.integer({ min: 40, max: 200 })).map(bpm =>
    setSong({
      tempo: bpm === null ? null : Object.assign(new Tempo(), { bpm, beatsPerBar: 4, firstBarSeconds: 0 }),
    }),
  ),
  fc.record({ track: fc.nat(2), levelDb: fc.integer({ min: -40, max: 12 }) }).map(c => setTrack(`track-${c.track}`, c)),
  fc.record({ track: fc.nat(2), to: fc.nat(3) }).map(c => moveTrack(`track-${c.track}`, c.to)),
  fc.uuid().map(id => addTakes('track-1', [take(id)])),
  fc.constant(removeTake('track-1', 'take-1')),
  fc.uuid().map(id => addTrack(Object.assign(new Track(), { id, name: 'New', role: 'double' }), 1)),
  fc.constant(removeTrack('track-2')),
  fc.constant<Change>(song => ({
    ...song,
    tracks: song.tracks.map(t =>
      t.part
        ? { ...t, takes: t.takes.map(k => ({ ...k, edits: { own: { start: 1, end: 2, target: 64 } } })), pan: 0.5 }
        : t,
    ),
  })),
);

/** The song after a change; as it was where the change has nothing to act on any more. */
function after(song: Song, c: Change): Song {
  try {
    return withParts(c(song));
  } catch (error) {
    expect(error).toBeInstanceOf(DocumentError);
    return song;
  }
}

describe('a step', () => {
  it('between two songs takes one to the other, stored and back, and its inverse takes it back', () => {
    fc.assert(
      fc.property(fc.array(change, { minLength: 1, maxLength: 6 }), changes => {
        const before = songWith(3);
        const now = changes.reduce(after, before);
        const step = Step.between(before, now);
        if (!step) return expect(plain(now)).toEqual(plain(before));
        const stored = Step.from(plain(step));
        expect(plain(stored.apply(before))).toEqual(plain(now));
        const inverse = Step.from(plain(Step.between(now, before)!));
        expect(plain(inverse.apply(now))).toEqual(plain(before));
      }),
    );
  });

  it('holds what changed and nothing of what there is', () => {
    const edits = Object.fromEntries(
      Array.from({ length: 3000 }, (_, i) => [`e${i}`, { start: i, end: i + 0.5, target: 60 }]),
    );
    const before = after(songWith(2), setTake('track-0', 'take-0', { edits }));
    const step = Step.between(
      before,
      after(before, setTake('track-0', 'take-0', { edits: { ...edits, e7: { ...edits.e7, aim: 40 } } })),
    )!;
    expect(JSON.stringify(step).length).toBeLessThan(150);
    // a part made of it goes along without a word in the step
    expect(step.changes).toHaveLength(1);
  });

  it('leaves what it does not touch the same object', () => {
    const before = songWith(3);
    const now = Step.from([{ at: ['tracks', 'track-1'], set: { pan: 0.3 } }]).apply(before);
    expect(now.tracks[0]).toBe(before.tracks[0]);
    expect(now.tracks[1].takes).toBe(before.tracks[1].takes);
  });

  it.each([
    ['a level out of bounds', [{ at: ['tracks', 'track-0'], set: { levelDb: 90 } }], /levelDb/],
    [
      'a pitch out of bounds',
      [{ at: ['tracks', 'track-0', 'takes', 'take-0', 'edits'], edits: { x: { start: 0, end: 1, target: 150 } } }],
      /target/,
    ],
    [
      'an end before its start',
      [{ at: ['tracks', 'track-0', 'takes', 'take-0', 'words'], splice: [0, 0, [{ start: 3, end: 1, text: 'lamp' }]] }],
      /end/,
    ],
    ['a track that is not there', [{ at: ['tracks', 'nowhere'], set: { pan: 0 } }], /nowhere/],
    ['a splice beyond the list', [{ at: ['chords'], splice: [4, 2, []] }], /chords/],
    [
      'a metre of 200 beats',
      [
        {
          at: [],
          set: { tempo: { bpm: 90, beatsPerBar: 200, beatUnit: 4, firstBarSeconds: 0, changes: [], metres: [] } },
        },
      ],
      /beatsPerBar/,
    ],
    ['following nobody', [{ at: ['tracks', 'track-0'], set: { followsId: 'gone' } }], /follows is not there/],
    [
      'a circle',
      [
        { at: ['tracks', 'track-0'], set: { followsId: 'track-1' } },
        { at: ['tracks', 'track-1'], set: { followsId: 'track-0' } },
      ],
      /circle/,
    ],
    ['a track twice', [{ at: ['tracks'], put: [plain(songWith(1).tracks[0])] }], /twice/],
    ['no change at all', [{ at: 'tracks' }], /where it is/],
    ['a list for fields', [{ at: [], set: [] }], /damaged/],
  ])('is refused with the field: %s', (_, changes, reason) => {
    const before = songWith(2);
    expect(() => Step.from(changes).apply(before)).toThrow(reason);
    expect(() => Step.from(changes).apply(before)).toThrow(DocumentError);
  });
});

/** A history after some changes. */
const did = (history: History, c: Change, kind: string | null = null, time = 0): History =>
  history.to('did', after(history.song, c), { kind, time })?.history ?? history;

describe('history', () => {
  it('undoes everything and redoes everything, however long', () => {
    fc.assert(
      fc.property(fc.array(change, { maxLength: 30 }), changes => {
        const start = new History(songWith(3));
        let history = changes.reduce((h, c) => did(h, c), start);
        const end = plain(history.song);
        while (history.canUndo) history = history.undo()!.history;
        expect(plain(history.song)).toEqual(plain(start.song));
        while (history.canRedo) history = history.redo()!.history;
        expect(plain(history.song)).toEqual(end);
      }),
      { numRuns: 50 },
    );
  });

  it('a journal written from the changes alone is the history', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.tuple(change, fc.constantFrom('level', null)),
            fc.constant('undo' as const),
            fc.constant('redo' as const),
          ),
          { maxLength: 20 },
        ),
        moves => {
          let history = new History(songWith(3));
          let journal: unknown[] = [];
          let cursor = 0;
          for (const m of moves) {
            const done =
              m === 'undo'
                ? history.undo()
                : m === 'redo'
                  ? history.redo()
                  : history.to('did', after(history.song, m[0]), { kind: m[1], time: 5 });
            if (!done) continue;
            ({ history } = done);
            const { change: written } = done;
            if (written.entries.length || written.from < journal.length)
              journal = [...journal.slice(0, written.from), ...written.entries.map(storedEntry)];
            cursor = written.cursor;
          }
          const reopened = new History(
            history.song,
            journal.map(j => entryFrom(plain(j))),
            cursor,
          );
          for (const move of ['undo', 'redo'] as const)
            expect(plain(reopened[move]()?.history.song ?? history.song)).toEqual(
              plain(history[move]()?.history.song ?? history.song),
            );
        },
      ),
      { numRuns: 50 },
    );
  });

  const aim = (value: number) =>
    setTake('track-0', 'take-0', { edits: { x: { start: 0, end: 1, target: 60, aim: value } } });

  it('makes one entry of changes of one kind that follow at once, and two of those that do not', () => {
    let history = new History(songWith(1));
    [10, 40, 70].forEach((v, i) => (history = did(history, aim(v), 'shape aim', 300 * i)));
    expect(history.entries).toHaveLength(1);
    expect(history.undo()!.history.song.tracks[0].takes[0].edits.x.aim).toBeUndefined();
    history = did(history, aim(5), 'shape aim', 600 + TOGETHER_MS + 1);
    history = did(history, aim(6), 'shape wander', 600 + TOGETHER_MS + 2);
    history = did(history, aim(7), null, 600 + TOGETHER_MS + 3);
    expect(history.entries).toHaveLength(4);
  });

  it('keeps no entry of what was moved there and back, nor of what changes nothing', () => {
    const start = new History(songWith(1));
    const there = did(start, setSong({ name: 'Lamp' }), 'name', 0);
    const back = did(there, setSong({ name: 'Ferry Lamp' }), 'name', 10);
    expect(back.entries).toHaveLength(0);
    expect(start.to('nothing', { ...start.song })).toBeNull();
  });

  it('refuses what is out of bounds and stays as it is', () => {
    const history = new History(songWith(1));
    expect(() => history.to('x', after(history.song, setTrack('track-0', { levelDb: 99 })))).toThrow(/levelDb/);
    expect(history.entries).toHaveLength(0);
  });

  it('grows with what changed: hundreds of small changes in a long song', () => {
    const edits = Object.fromEntries(
      Array.from({ length: 2000 }, (_, i) => [`e${i}`, { start: i, end: i + 0.5, target: 60 }]),
    );
    let history = new History(after(songWith(1), setTake('track-0', 'take-0', { edits })));
    let stored = 0;
    for (let i = 0; i < 300; i++) {
      const { edits: now } = history.song.tracks[0].takes[0];
      const moved = history.to(
        'Move a note',
        after(
          history.song,
          setTake('track-0', 'take-0', { edits: { ...now, [`e${i}`]: { ...now[`e${i}`], target: 61 } } }),
        ),
      )!;
      stored += JSON.stringify(moved.change.entries.map(storedEntry)).length;
      ({ history } = moved);
    }
    expect(stored).toBeLessThan(300 * 400);
  });

  it('refuses a damaged entry', () => {
    for (const damaged of [null, 'x', { label: 'x' }, { label: 'x', kind: null, time: 1, step: 3, inverse: [] }])
      expect(() => entryFrom(damaged)).toThrow(DocumentError);
    const entry = storedEntry(
      new History(songWith(1)).to('x', after(songWith(1), setSong({ name: 'B' })))!.change.entries[0],
    );
    expect((entryFrom(plain(entry)) as JournalEntry).label).toBe('x');
  });
});

describe('documents from outside', () => {
  it('come back as they went', () => {
    const song = songWith(2);
    expect(plain(validatedSong(plain(song)))).toEqual(plain(song));
  });

  const track = songWith(1).tracks[0];
  const withTrack = (fields: object) => ({ ...songWith(1), tracks: [{ ...track, ...fields }] });
  it.each([
    ['a newer version', { ...songWith(1), version: 99 }, /newer Essim/],
    ['a bad pan', withTrack({ pan: 7 }), /tracks\.0\.pan/],
    [
      'a bad edit',
      withTrack({ takes: [{ ...track.takes[0], edits: { x: { start: 0, end: 1, target: 'high' } } }] }),
      /target/,
    ],
    [
      'an edit that ends before it begins',
      withTrack({ takes: [{ ...track.takes[0], edits: { x: { start: 2, end: 1 } } }] }),
      /end/,
    ],
    [
      'a take ten million seconds away',
      withTrack({ takes: [{ ...track.takes[0], offsetSeconds: 1e7 }] }),
      /offsetSeconds/,
    ],
    ['a missing take', withTrack({ segments: [{ at: 0, takeId: 'gone', fadeMs: 12 }] }), /take that is not there/],
    ['a take twice', withTrack({ takes: [track.takes[0], track.takes[0]] }), /twice/],
    ['following nobody', withTrack({ followsId: 'gone' }), /follows is not there/],
    ['made from nobody', withTrack({ part: { fromId: 'gone', by: 'steps', amount: 2 } }), /made from is not there/],
    ['no song at all', 'hello', /song/],
  ])('are refused with the field: %s', (_, value, reason) => {
    expect(() => validatedSong(value)).toThrow(DocumentError);
    expect(() => validatedSong(value)).toThrow(reason);
  });
});
