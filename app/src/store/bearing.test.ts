import { AlignRule, FoundAlignment, PartRule, TimeMap } from '@essim/core';
import { now, open, song, sung, take, track } from '../testing';
import { bearingOf, countingEdits, freedParts, sourceOfPart } from './bearing';
import { useSession } from './session';

/** What a track asks of its take besides the edits of its notes, in the take's own time. */

const s = useSession.getState;
const trackNow = (id: string) => now().tracks.find(t => t.id === id)!;
const bearing = (id: string) => {
  const t = trackNow(id);
  return bearingOf(s(), t, t.takes[0]);
};
/** Everything is sung .1 s late. */
const late = () =>
  Object.assign(new FoundAlignment(), {
    stamp: 'x',
    points: [0, 0, 1, 0.9, 9, 8.9],
    apart: [{ start: 5, end: 6 }],
    rests: [],
    confidence: 0.8,
  });
const follower = (rule: Partial<AlignRule>, offsetSeconds = 0) =>
  track('ash', [take('a', { offsetSeconds })], {
    role: 'double',
    followsId: 'lead',
    found: late(),
    align: Object.assign(new AlignRule(), rule),
  });
const opened = (...more: Parameters<typeof song>[0]) =>
  open(song([track('lead', [take('l')]), ...more], { key: { tonic: 0, mode: 'major' } }), {
    l: sung(60, [6]),
    a: sung(60.3, [6]),
    p: sung(60, [6]),
  });

describe('a follower', () => {
  it('that only sings asks for nothing', async () => {
    await opened(follower({ closeness: 0 }));
    expect(bearing('ash')).toBeNull();
    expect(bearing('lead')).toBeNull();
  });

  it('is bent where it is heard otherwise, in its take’s own time', async () => {
    await opened(follower({ closeness: 100 }, 2));
    const map = TimeMap.through(bearing('ash')!.time!);
    // what lies at 5 s of the song, 3 s into the take, is heard .1 s earlier
    expect(map.forward(3)).toBeCloseTo(2.9, 2);
  });

  it('leans to the line of its lead at the moments that belong together', async () => {
    await opened(follower({ closeness: 0, lean: 70 }));
    const { lean, time } = bearing('ash')!;
    expect(time).toBeUndefined();
    expect(lean).toMatchObject({ pitch: 70, level: 0, alone: [{ start: 5, end: 6 }] });
    expect(lean!.leadDb).toBe(s().views.lead.reading!.levelDb);
    expect(lean!.lead).toBe(s().views.lead.line);
    expect(TimeMap.through(lean!.counterpart).forward(3)).toBeCloseTo(2.9, 2);
    await opened({ ...follower({ closeness: 0, lean: 70 }), found: null });
    expect(bearing('ash')).toBeNull();
  });
});

describe('a part', () => {
  const part = (fields: Partial<PartRule> = {}) =>
    track('third', [take('p', { offsetSeconds: 1 })], {
      role: 'part',
      part: Object.assign(new PartRule(), { fromId: 'lead', by: 'steps', amount: 2, ...fields }),
    });

  it('asks for its differences, and for its phrases in the take’s time', async () => {
    await opened(
      part({ scatterTime: 80, scatterPitch: 40, seed: 7, formant: -2, spans: [{ start: 2, end: 4 }] as never }),
    );
    expect(bearing('third')!.part).toEqual({
      scatter: { time: 80, pitch: 40, seed: 7 },
      formant: -2,
      spans: [{ start: 1, end: 3 }],
    });
    await opened(part());
    expect(bearing('third')!.part!.spans).toBeNull();
  });

  it('has what its rule makes of the lead’s notes for edits; a lead’s own edits are what they are', async () => {
    await opened(part());
    expect(sourceOfPart(now(), trackNow('third'))!.id).toBe('lead');
    expect(sourceOfPart(now(), trackNow('lead'))).toBeUndefined();
    const { notes } = s().takes.l!;
    const third = trackNow('third');
    const edits = countingEdits(s(), third, third.takes[0], notes);
    expect(Object.values(edits).map(e => e.target)).toEqual(notes.map(() => 64));
    const lead = trackNow('lead');
    expect(countingEdits(s(), lead, lead.takes[0], notes)).toBe(lead.takes[0].edits);
    // before anything is read there are its own edits alone
    expect(countingEdits(s(), third, third.takes[0], undefined)).toBe(third.takes[0].edits);
  });

  it('is freed with the notes it has when its lead goes', async () => {
    await opened(part());
    const commands = freedParts(s(), 'Delete Lead', trackNow('lead'));
    expect(commands).toHaveLength(2);
    expect(commands.every(c => c.label === 'Delete Lead')).toBe(true);
    expect(freedParts(s(), 'Delete third', trackNow('third'))).toEqual([]);
  });
});
