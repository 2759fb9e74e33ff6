import {
  AddTrack,
  History,
  PartRule,
  RemoveTake,
  SetNoteEdits,
  SetTake,
  SetTrack,
  Song,
  Take,
  Track,
  validatedSong,
} from './index';

const take = (id: string): Take =>
  Object.assign(new Take(), { id, name: id, sourceId: 'a'.repeat(64), offsetSeconds: 0 });
const lead = (): Track =>
  Object.assign(new Track(), {
    id: 'lead',
    name: 'Lead',
    role: 'lead',
    takes: [take('one'), take('two')],
    segments: [{ at: 0, takeId: 'one', fadeMs: 12 }],
  });
const part = (): Track =>
  Object.assign(new Track(), {
    id: 'third',
    name: 'Third',
    role: 'part',
    part: Object.assign(new PartRule(), { fromId: 'lead', by: 'steps', amount: 2 }),
  });
const begun = () =>
  new History(Object.assign(new Song(), { id: 'quay', name: 'Quay', sampleRate: 48000, tracks: [lead()] })).do(
    new AddTrack('Part', part(), 1),
  ).history;
const partOf = (h: History) => h.song.tracks.find(t => t.id === 'third')!;

test('a part has the takes and the comp of its lead', () => {
  const made = partOf(begun());
  expect(made.takes.map(t => t.name)).toEqual(['one', 'two']);
  expect(made.segments).toEqual([{ at: 0, takeId: made.takes[0].id, fadeMs: 12 }]);
  expect(made.takes[0].id).not.toBe('one');
});

test('it follows another comp and another reading, and keeps its own edits', () => {
  let h = begun();
  const [own] = partOf(h).takes;
  h = h.do(new SetNoteEdits('Move', 'third', own.id, { n100: { start: 0.1, end: 0.5, target: 66 } })).history;
  h = h.do(new SetTrack('Comp', 'lead', { segments: [{ at: 0, takeId: 'two', fadeMs: 12 }] })).history;
  h = h.do(new SetTake('Range', 'lead', 'one', { range: 'low' })).history;
  const now = partOf(h);
  expect(now.segments[0].takeId).toBe(now.takes[1].id);
  expect(now.takes[0]).toMatchObject({ range: 'low', edits: { n100: { target: 66 } } });
});

test('what was set on a take that is deleted comes back with it', () => {
  let h = begun();
  const id = partOf(h).takes[1].id;
  h = h.do(new SetNoteEdits('Move', 'third', id, { n100: { start: 0.1, end: 0.5, target: 66 } })).history;
  h = h.do(new RemoveTake('Delete', 'lead', 'two')).history;
  expect(partOf(h).segments.every(g => g.takeId === partOf(h).takes[0].id)).toBe(true);
  h = h.undo()!.history;
  expect(partOf(h).takes.find(t => t.id === id)!.edits.n100.target).toBe(66);
});

test('a change that touches no lead leaves the very same part', () => {
  const h = begun();
  const next = h.do(new SetTrack('Name', 'lead', { name: 'Ash' })).history;
  expect(partOf(next)).toBe(partOf(h));
});

test('a stored song with a part is whole again, and one whose lead is gone still opens', () => {
  const { song } = begun();
  const again = validatedSong(JSON.parse(JSON.stringify(song)));
  expect(again.tracks[1].takes).toHaveLength(2);
  const alone = validatedSong(JSON.parse(JSON.stringify({ ...song, tracks: [song.tracks[1]] })));
  expect(alone.tracks[0].takes).toHaveLength(2);
});

test('an alignment that runs backwards is refused by name', () => {
  const { song } = begun();
  const bad = JSON.parse(JSON.stringify(song));
  bad.tracks[0].found = { stamp: 'x', points: [0, 0, 1, 1, 0.5, 2], apart: [], rests: [], confidence: 0.5 };
  expect(() => validatedSong(bad)).toThrow('alignment');
  bad.tracks[0].found.points = [0, 'much'];
  expect(() => validatedSong(bad)).toThrow(/points/);
});
