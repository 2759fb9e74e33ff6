import { alignmentStamp, AlignRule, FoundAlignment, setTake, type NoteFacts } from '@essim/core';
import { now, open, song, sung, take, track } from '../testing';
import { isCurrent, leavesOf, setAlign, shownFollower, stackOf, toggleAsSung } from './aligning';
import { addPart, asMade, chosenPhrases } from './parts';
import { change, undo, useSession } from '../open-song';
import { countingEditsOf } from '../open-song/planning';
import { deleteTrack, leadStack } from './tracks';

const found = (stamp = 'x') =>
  Object.assign(new FoundAlignment(), {
    stamp,
    points: [0, 0, 1, 0.95, 9, 8.95],
    apart: [{ start: 3.05, end: 3.95 }],
    rests: [],
    confidence: 0.8,
  });
const stack = () =>
  song(
    [
      track('lead', [take('l')]),
      track('ash', [take('a')], { role: 'double', followsId: 'lead', found: found() }),
      track('elm', [take('e')], { role: 'harmony', followsId: 'lead' }),
    ],
    { key: { tonic: 0, mode: 'major' } },
  );
const takes = () => ({ l: sung(60, [6]), a: sung(60, [6]), e: sung(64, [6]) });
const state = useSession.getState;
const trackNow = (id: string) => now().tracks.find(t => t.id === id)!;

test('the stack is the lead and who follows it, whichever of them is edited', async () => {
  await open(stack(), takes());
  expect(stackOf(state())!.followers.map(t => t.id)).toEqual(['ash', 'elm']);
  expect(shownFollower(state())!.follower.id).toBe('ash');
  useSession.setState({ editTrackId: 'elm' });
  expect(stackOf(state())!.lead.id).toBe('lead');
  expect(shownFollower(state())!.follower.id).toBe('elm');
});

test('another track leads with one action, and undo gives the old lead back', async () => {
  await open(stack(), takes());
  leadStack(trackNow('ash'));
  expect(now().tracks.map(t => t.followsId)).toEqual(['ash', null, 'ash']);
  // what was found with the old lead holds no more
  expect(trackNow('ash').found).toBeNull();
  undo();
  expect(now().tracks.map(t => t.followsId)).toEqual([null, 'lead', 'lead']);
  expect(trackNow('ash').found).not.toBeNull();
});

test('leaves tell how late each syllable is, and which has no counterpart', async () => {
  await open(stack(), takes());
  const leaves = leavesOf(state(), trackNow('ash'));
  expect(leaves).toHaveLength(6);
  expect(leaves[2].sung).toBeCloseTo(0.05, 3);
  expect(Math.abs(leaves[2].now!)).toBeLessThan(0.002);
  expect(leaves[3]).toMatchObject({ sung: null, now: null });
  expect(leavesOf(state(), trackNow('ash'))).toBe(leaves);
});

test('a stretch is left as sung, and follows again; a gesture is one entry', async () => {
  await open(stack(), takes());
  toggleAsSung(trackNow('ash'), 2, 3);
  expect(trackNow('ash').align!.asSung).toEqual([{ start: 2, end: 3 }]);
  toggleAsSung(trackNow('ash'), 2.2, 2.4);
  expect(trackNow('ash').align!.asSung).toEqual([]);
  for (const closeness of [80, 60, 40]) setAlign('closeness', trackNow('ash'), { closeness }, { kind: 'closeness' });
  undo();
  expect(trackNow('ash').align!.closeness).toBe(100);
});

test('an alignment is current while nothing it was found in changed', async () => {
  await open(stack(), takes());
  const [lead, ash] = [trackNow('lead'), trackNow('ash')];
  const fresh = { ...ash, found: found(alignmentStamp(lead, ash, [])) };
  expect(isCurrent(lead, fresh)).toBe(true);
  expect(isCurrent({ ...lead, takes: [take('l', { sourceId: 'f'.repeat(64) })] }, fresh)).toBe(false);
  const tied = Object.assign(new AlignRule(), { ties: [{ follower: 1, lead: 1 }] });
  expect(isCurrent(lead, { ...fresh, align: tied })).toBe(false);
});

describe('parts', () => {
  const notes: NoteFacts[] = takes().l.notes;
  const edits = (id: string) => {
    const part = trackNow(id);
    return countingEditsOf(state(), part, part.takes[0]);
  };

  /** A part's takes are read as its lead's are. */
  const readAsLead = (id: string) =>
    useSession.setState(s => ({ takes: { ...s.takes, [trackNow(id).takes[0].id]: takes().l } }));
  const targetOf = (id: string, note: NoteFacts) => Object.values(edits(id)).find(e => e.start === note.start)!.target;

  test('a part of the edited voice is made in one step, below it', async () => {
    await open(stack(), takes());
    addPart({ by: 'steps', amount: 2 });
    const part = now().tracks[1];
    expect(part).toMatchObject({ name: 'Third above', role: 'part' });
    expect(part.takes[0].sourceId).toBe(trackNow('lead').takes[0].sourceId);
    readAsLead(part.id);
    expect(Object.values(edits(part.id)).every(e => e.target === 64)).toBe(true);
    expect(state().editTrackId).toBe(part.id);
    addPart({ by: 'steps', amount: 2 });
    expect(now().tracks[2].name).toBe('Third above 2');
  });

  test('it goes along with its lead; what is set by hand stays, until it is given up', async () => {
    await open(stack(), takes());
    addPart({ by: 'steps', amount: 2 });
    const { id, takes: own } = now().tracks[1];
    readAsLead(id);
    const [first, second] = notes;
    const at = ({ start, end }: NoteFacts, target: number) => ({ start, end, target });
    change('hand', setTake(id, own[0].id, { edits: { x: at(first, 71) } }));
    change('lead', setTake('lead', 'l', { edits: { y: at(first, 62), z: at(second, 62) } }));
    expect(targetOf(id, first)).toBe(71);
    expect(targetOf(id, second)).toBe(65);
    asMade(trackNow(id));
    expect(targetOf(id, first)).toBe(65);
  });

  test('phrases that are chosen are what it sings', async () => {
    await open(stack(), { ...takes(), l: sung(60, [3, 3]) });
    const view = state().views.lead;
    useSession.setState({ selection: { trackId: 'lead', notes: new Set([view.notes[4].key]), span: null } });
    const spans = chosenPhrases(state())!;
    expect(spans).toHaveLength(1);
    expect(spans[0].start).toBeLessThan(view.notes[3].start);
    expect(spans[0].start).toBeGreaterThan(view.notes[2].end);
  });

  test('when its lead is deleted it stands on its own, with the notes it has', async () => {
    await open(stack(), takes());
    addPart({ by: 'semitones', amount: 12 });
    const { id } = now().tracks[1];
    readAsLead(id);
    deleteTrack(trackNow('lead'));
    const part = trackNow(id);
    expect(part.part).toBeNull();
    expect(Object.values(part.takes[0].edits).map(e => e.target)).toEqual(notes.map(() => 72));
    undo();
    expect(trackNow(id).part).not.toBeNull();
  });
});
