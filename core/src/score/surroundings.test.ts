import { AlignRule, FoundAlignment, PartRule, TimeMap, type Song, type Track } from '../song';
import { countingEdits, sourceOfPart } from './counting';
import { Score } from './score';
import { surroundingsOf } from './surroundings';
import { song, sung, take, track } from './testing';

/** What surrounds a take besides the edits of its notes, in the take's own time. */

const takes = { l: sung(60, [6]), a: sung(60.3, [6]), p: sung(60, [6]), 'third-l': sung(60, [6]) };
let opened: Score;
const open = (...more: Track[]): void => {
  opened = new Score(song([track('lead', [take('l')]), ...more], { key: { tonic: 0, mode: 'major' } }), takes);
};
const trackNow = (id: string) => opened.track(id)!;
const surroundings = (id: string, of: Song = opened.song) => {
  const t = trackNow(id);
  return surroundingsOf(of, t, t.takes[0], v => opened.view(v), opened.scaleAt);
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
describe('a follower', () => {
  it('that only sings asks for nothing', () => {
    open(follower({ closeness: 0 }));
    expect(surroundings('ash')).toBeNull();
    expect(surroundings('lead')).toBeNull();
  });

  it('is bent where it is heard otherwise, in its take’s own time', () => {
    open(follower({ closeness: 100 }, 2));
    const map = TimeMap.through(surroundings('ash')!.time!);
    // what lies at 5 s of the song, 3 s into the take, is heard .1 s earlier
    expect(map.forward(3)).toBeCloseTo(2.9, 2);
  });

  it('leans to the line of its lead at the moments that belong together', () => {
    open(follower({ closeness: 0, lean: 70 }));
    const { lean, time } = surroundings('ash')!;
    expect(time).toBeUndefined();
    expect(lean).toMatchObject({ pitch: 70, level: 0, alone: [{ start: 5, end: 6 }] });
    expect(lean!.leadDb).toBe(opened.view('lead').reading!.levelDb);
    expect(lean!.lead).toBe(opened.view('lead').line);
    expect(TimeMap.through(lean!.counterpart).forward(3)).toBeCloseTo(2.9, 2);
    open({ ...follower({ closeness: 0, lean: 70 }), found: null });
    expect(surroundings('ash')).toBeNull();
  });
});

describe('a part', () => {
  const part = (fields: Partial<PartRule> = {}) =>
    track('third', [take('p', { offsetSeconds: 1 })], {
      role: 'part',
      part: Object.assign(new PartRule(), { fromId: 'lead', by: 'steps', amount: 2, ...fields }),
    });

  it('asks for its differences, and for its phrases in the take’s time', () => {
    open(part({ scatterTime: 80, scatterPitch: 40, seed: 7, formant: -2, spans: [{ start: 2, end: 4 }] as never }));
    expect(surroundings('third')!.part).toEqual({
      scatter: { time: 80, pitch: 40, seed: 7 },
      formant: -2,
      spans: [{ start: 1, end: 3 }],
    });
    open(part());
    expect(surroundings('third')!.part!.spans).toBeNull();
  });

  it('leans with the follower it is made from', () => {
    const ash = follower({ closeness: 0, lean: 70 });
    const of = part({ fromId: 'ash' });
    const { followsId, align, found } = ash;
    open(ash, { ...of, followsId, align, found });
    expect(surroundings('third')).toMatchObject({ lean: { pitch: 70 }, part: { formant: 0 } });
  });

  it('has what its rule makes of the lead’s notes for edits; a lead’s own edits are what they are', () => {
    open(part());
    expect(sourceOfPart(opened.song, trackNow('third'))!.id).toBe('lead');
    expect(sourceOfPart(opened.song, trackNow('lead'))).toBeUndefined();
    const third = trackNow('third');
    const edits = countingEdits(opened, third, third.takes[0]);
    expect(Object.values(edits).map(e => e.target)).toEqual(takes.p.notes.map(() => 64));
    expect(countingEdits(opened, third, third.takes[0])).toBe(edits);
    const lead = trackNow('lead');
    expect(countingEdits(opened, lead, lead.takes[0])).toBe(lead.takes[0].edits);
    // before anything is read there are its own edits alone
    const unread = new Score(opened.song, {});
    expect(countingEdits(unread, third, third.takes[0])).toBe(third.takes[0].edits);
  });
});
