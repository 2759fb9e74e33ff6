import { AlignRule, FoundAlignment, PartRule, Segment, Song, Take, Track } from './document';
import { leadTakeOf, partTakeId as takeIdOfPart, sungTrackOf, withParts } from './parts';

/** A part is its lead's takes and comp with edits of its own. */

const take = (id: string, fields: Partial<Take> = {}): Take =>
  Object.assign(new Take(), { id, name: id, sourceId: id.padEnd(64, '0'), offsetSeconds: 0, ...fields });
const segment = (at: number, takeId: string): Segment => Object.assign(new Segment(), { at, takeId, fadeMs: 12 });
const track = (id: string, fields: Partial<Track> = {}): Track =>
  Object.assign(new Track(), { id, name: id, role: 'lead', ...fields });
const lead = () =>
  track('lead', { takes: [take('one'), take('two')], segments: [segment(0, 'one'), segment(4, 'two')] });
const part = (fields: Partial<PartRule> = {}) =>
  track('third', {
    role: 'part',
    part: Object.assign(new PartRule(), { fromId: 'lead', by: 'steps', amount: 2, ...fields }),
  });
const song = (...tracks: Track[]): Song =>
  Object.assign(new Song(), { id: 'quay', name: 'Quay', sampleRate: 48000, tracks });
const partOf = (s: Song) => s.tracks.find(t => t.part)!;
const withLead = (s: Song, fields: Partial<Track>): Song =>
  withParts({ ...s, tracks: s.tracks.map(t => (t.id === 'lead' ? { ...t, ...fields } : t)) });

const partTakeId = (part: string, take: string) => takeIdOfPart(part, { id: 'lead', part: null }, take);

test('a part has its lead’s takes and comp, and no edits', () => {
  const made = partOf(withParts(song(lead(), part())));
  expect(made.takes.map(t => [t.id, t.sourceId, t.edits])).toEqual(
    ['one', 'two'].map(id => [partTakeId('third', id), id.padEnd(64, '0'), {}]),
  );
  expect(made.segments).toEqual(
    [
      [0, 'one'],
      [4, 'two'],
    ].map(([at, id]) => expect.objectContaining({ at, takeId: partTakeId('third', id as string) }) as Segment),
  );
});

test('what needs no change stays the same object', () => {
  const none = song(lead());
  expect(withParts(none)).toBe(none);
  const made = withParts(song(lead(), part()));
  expect(withParts(made)).toBe(made);
  // a change of the lead that a part does not show leaves the part alone
  const louder = withLead(made, { levelDb: -3, name: 'Voice' });
  expect(partOf(louder)).toBe(partOf(made));
});

test('another comp, another recording and corrections come along; edits stay where they were', () => {
  const made = withParts(song(lead(), part()));
  const id = partTakeId('third', 'one');
  const edits = { n1: { start: 1, end: 2, target: 64 } };
  const edited = {
    ...made,
    tracks: made.tracks.map(t => (t.part ? { ...t, takes: t.takes.map(k => (k.id === id ? { ...k, edits } : k)) } : t)),
  };
  const other = withLead(edited, { segments: [segment(0, 'two')] });
  expect(partOf(other).segments.map(g => g.takeId)).toEqual([partTakeId('third', 'two')]);
  expect(partOf(other).takes.find(t => t.id === id)!.edits).toBe(edits);
  const replaced = withLead(edited, {
    takes: [take('one', { sourceId: 'f'.repeat(64), offsetSeconds: 0.5 }), edited.tracks[0].takes[1]],
  });
  expect(partOf(replaced).takes[0]).toMatchObject({ id, sourceId: 'f'.repeat(64), offsetSeconds: 0.5, edits });
  // the other take did not change
  expect(partOf(replaced).takes[1]).toBe(partOf(edited).takes[1]);
});

test('edits on a take that is taken away come back with it', () => {
  const made = withParts(song(lead(), part()));
  const id = partTakeId('third', 'two');
  const edits = { n1: { start: 5, end: 6, target: 67 } };
  const edited = {
    ...made,
    tracks: made.tracks.map(t => (t.part ? { ...t, takes: t.takes.map(k => (k.id === id ? { ...k, edits } : k)) } : t)),
  };
  const without = withLead(edited, { takes: [take('one')], segments: [segment(0, 'one')] });
  expect(partOf(without).segments.map(g => g.takeId)).toEqual([partTakeId('third', 'one')]);
  const again = withLead(without, { takes: lead().takes, segments: lead().segments });
  expect(partOf(again).takes.find(t => t.id === id)!.edits).toEqual(edits);
  // one nobody edited leaves nothing behind
  expect(partOf(withLead(made, { takes: [take('one')], segments: [segment(0, 'one')] })).takes).toHaveLength(1);
});

test('where its lead follows another track it goes along', () => {
  const found = Object.assign(new FoundAlignment(), {
    stamp: 'x',
    points: [0, 0, 1, 1],
    apart: [],
    rests: [],
    confidence: 1,
  });
  const align = Object.assign(new AlignRule(), { closeness: 60 });
  const made = withLead(withParts(song(lead(), part())), { followsId: 'other', found, align });
  expect(partOf(made)).toMatchObject({ followsId: 'other', found, align });
  expect(partOf(withLead(made, { followsId: null, found: null, align: null }))).toMatchObject({
    followsId: null,
    found: null,
  });
});

test('without its lead it stays as it is; made from another part it has the takes that were sung', () => {
  const alone = song(part({ fromId: 'gone' }));
  expect(withParts(alone)).toBe(alone);
  const made = withParts(song(lead(), part()));
  const second = track('fifth', {
    role: 'part',
    part: Object.assign(new PartRule(), { fromId: 'third', by: 'steps', amount: 4 }),
  });
  const chained = withParts({ ...made, tracks: [...made.tracks, second] });
  expect(chained.tracks[2].takes.map(t => t.id)).toEqual(['one', 'two'].map(id => partTakeId('fifth', id)));
  expect(leadTakeOf(chained.tracks[2], chained.tracks[1], partTakeId('fifth', 'two'))).toBe(chained.tracks[1].takes[1]);
  expect(sungTrackOf(chained, chained.tracks[2])).toBe(chained.tracks[0]);
  // in a circle nothing is made
  const round = { ...made.tracks[1], part: Object.assign(new PartRule(), { ...made.tracks[1].part, fromId: 'fifth' }) };
  expect(withParts({ ...made, tracks: [made.tracks[0], round, second] }).tracks).toHaveLength(3);
});

test('a part’s take knows the take of the lead that it is', () => {
  const made = withParts(song(lead(), part()));
  const [l, p] = made.tracks;
  expect(leadTakeOf(p, l, p.takes[1].id)).toBe(l.takes[1]);
  expect(leadTakeOf(p, l, 'nowhere')).toBeUndefined();
});
