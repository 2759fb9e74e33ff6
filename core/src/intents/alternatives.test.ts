import { song, sung, take, track } from '../score/testing';
import { Step, type Song } from '../song';
import { alternativesOf } from './alternatives';
import { followed, type WrittenStep } from './testing';

const takes = { l: sung(60.3, [4, 2]) };
const made = () => song([track('Lead', [take('l')])], { key: { tonic: 0, mode: 'major' } });
const follow = async (steps: WrittenStep[], start = made()): Promise<Song> => {
  const after = await followed(start, steps, takes);
  expect(Step.between(start, after)?.apply(start) ?? start).toEqual(after);
  return after;
};
/** The first phrase: four notes in four seconds. */
const PHRASE = { tracks: 'Lead', span: [0, 4] };
const other = (name: string, remove = false): WrittenStep => ({
  do: 'alternative',
  on: PHRASE,
  with: { name, ...(remove ? { remove } : {}) },
});
const settle: WrittenStep = { do: 'settle', on: PHRASE };
const place: WrittenStep = { do: 'place', on: { tracks: 'Lead', notes: { between: [0, 4] } }, with: { pitch: 64 } };
const later: WrittenStep = { do: 'place', on: { tracks: 'Lead', notes: { index: [4] } }, with: { pitch: 67 } };
const targets = (s: Song) =>
  Object.values(s.tracks[0].takes[0].edits)
    .sort((a, b) => a.start - b.start)
    .map(e => e.target);
const names = (s: Song) => s.tracks[0].alternatives.map(a => `${a.name}${a.heard ? '*' : ''}`);

describe('other tunings of a stretch', () => {
  const both = [settle, later, other('Bold'), place];

  test('a new one begins as it is, and each keeps what is done to it', async () => {
    const bold = await follow(both);
    expect(names(bold)).toEqual(['A', 'Bold*']);
    expect(targets(bold)).toEqual([64, 64, 64, 64, 67]);
    const first = await follow([other('A')], bold);
    expect(names(first)).toEqual(['A*', 'Bold']);
    expect(targets(first)).toEqual([60, 60, 60, 60, 67]);
    expect(targets(await follow([other('Bold')], first))).toEqual([64, 64, 64, 64, 67]);
  });

  test('what lies outside the stretch is the same in all of them', async () => {
    const s = await follow([...both, { ...later, with: { pitch: 69 } }, other('A')]);
    expect(targets(s)).toEqual([60, 60, 60, 60, 69]);
  });

  test('nearly the same stretch is that stretch; another has its own', async () => {
    const s = await follow(both);
    expect(alternativesOf(s.tracks[0], { start: 0.3, end: 3.8 })).toHaveLength(2);
    expect(alternativesOf(s.tracks[0], { start: 5, end: 7 })).toEqual([]);
  });

  test('one that is taken away leaves the other heard; one alone is none', async () => {
    const s = await follow([...both, other('Bold', true)]);
    expect(targets(s)).toEqual([60, 60, 60, 60, 67]);
    expect(s.tracks[0].alternatives).toEqual([]);
    const three = await follow([...both, other('Calm'), other('A', true)]);
    expect(names(three)).toEqual(['Bold', 'Calm*']);
    expect(targets(three)).toEqual([64, 64, 64, 64, 67]);
    await expect(follow([other('Nobody', true)])).rejects.toThrow('there is no tuning “Nobody” here');
    await expect(follow([{ ...other('B'), on: { tracks: 'Lead' } }])).rejects.toThrow('no stretch is meant');
  });
});
