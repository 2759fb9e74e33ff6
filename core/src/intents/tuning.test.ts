import { song, sung, take, track } from '../score/testing';
import { Step, type Song } from '../song';
import { followed, type WrittenStep } from './testing';

// its patterns come in a form that only bundlers read
jest.mock('../song/hyphenate', () => ({ hyphenate: (word: string) => [word] }));

/** Six notes 40 cents over C sharp, in C. */
const takes = { l: sung(61.4, [6]) };
const made = (more: Partial<Song> = {}): Song =>
  song([track('Lead', [take('l')])], { key: { tonic: 0, mode: 'major' }, ...more });
const follow = async (steps: WrittenStep[], start = made()): Promise<Song> => {
  const after = await followed(start, steps, takes);
  expect(Step.between(start, after)?.apply(start) ?? after).toEqual(after);
  return after;
};
const target = async (...steps: WrittenStep[]) =>
  Object.values((await follow([...steps, { do: 'settle' }])).tracks[0].takes[0].edits)[0]?.target;
const scale = (fields: object) => ({ do: 'scale', with: fields });
const rule = (fields: object) => ({ do: 'step-rule', with: fields });

test.each([
  ['the key as it is', [], 62],
  ['a mode', [scale({ tonic: 'C', name: 'phrygian' })], 61],
  ['another tonic', [scale({ tonic: 'A', name: 'major' })], 61],
  ['a maqam', [scale({ name: 'maqam bayati' })], 61.5],
  ['a temperament of the key', [scale({ name: 'Werckmeister III' })], 61.9218],
  ['equal steps', [scale({ name: '24 equal' })], 61.5],
  ['steps in cents', [scale({ steps: [0, 130, 480] })], 61.3],
  ['a Scala file', [scale({ scl: '! x\nfive\n 5\n!\n 240.\n 480.\n 720.\n 960.\n 2/1' })], 62.4],
  ['a rule that leaves', [rule({ step: 1, rule: 'left' })], undefined],
  ['a rule that sends', [rule({ step: 1, rule: { to: 4 } })], 64],
  ['a rule of another octave', [rule({ step: 2, octave: 5, rule: 'off' })], 62],
  ['a rule of this octave', [rule({ step: 2, octave: 4, rule: 'off' })], 60],
  ['an allowed step', [rule({ step: 1, rule: 'allowed' })], 61],
])('%s', async (_, steps, expected) => {
  // a step that is left leaves nothing to settle
  if (expected === undefined) return expect(target(...steps)).rejects.toThrow('left as sung');
  expect(await target(...steps)).toBeCloseTo(expected, 3);
});

test('a keyboard map says where the steps lie, whatever the tonic', async () => {
  const scl = 'two\n2\n600.\n1200.';
  const kbm = '0\n0\n127\n60\n60\n264\n0';
  const after = await follow([scale({ scl, kbm })]);
  expect(after.tuning!.root).toBeCloseTo(6900 + 1200 * Math.log2(264 / 440), 6);
});

test('steps that are only shifted keep what was said about them', async () => {
  const after = await follow([
    scale({ name: 'maqam rast' }),
    rule({ step: 2, rule: 'left' }),
    scale({ steps: [0, 200, 345, 500, 700, 900, 1045] }),
  ]);
  expect(after.tuning).toMatchObject({ name: 'maqam rast', rules: [{ step: 2, rule: 'left' }] });
  expect((await follow([scale({ name: 'major' })], after)).tuning).toBeNull();
});

test('notes go to the chord', async () => {
  const chords = [{ start: 0, name: 'A' }];
  const after = await follow([{ do: 'settle', with: { to: 'chord' } }], made({ chords }));
  expect(Object.values(after.tracks[0].takes[0].edits).every(e => e.target === 61)).toBe(true);
  await expect(follow([{ do: 'settle', with: { to: 'chord' } }])).rejects.toThrow('this song has no chords yet');
});

test.each([
  ['no scale', scale({ name: 'seventh heaven' }), 'there is no scale "seventh heaven"'],
  ['two at once', scale({ name: 'major', steps: [0, 100] }), 'only one of name, steps and scl'],
  ['steps that fall', scale({ steps: [0, 300, 200] }), 'step 2 (200 cents) is not above the one before'],
  ['a bad file', scale({ scl: 'x\n2\n100.\nabc' }), 'scl: line 4: step 2 ("abc") is neither cents nor a ratio'],
  ['a map alone', scale({ kbm: '0' }), 'a keyboard map needs its scl'],
  ['a bad map', scale({ scl: 'x\n1\n2/1', kbm: 'x' }), 'kbm: line 1 ("x") is no size of the map'],
  ['a step that is not there', rule({ step: 12, rule: 'off' }), 'there is no step 12: this tuning has 12'],
  ['a step to itself', rule({ step: 2, rule: { to: 2 } }), 'a step cannot go to itself'],
  ['a step to one that is off', rule({ step: 2, rule: { to: 1 } }), 'step 2 goes to step 1, which is not allowed'],
  ['no rule', rule({ step: 2, rule: 'loud' }), 'rule "loud" is none of allowed, off, left and no {"to": step}'],
])('%s is refused', async (_, step, message) => {
  await expect(follow([step])).rejects.toThrow(message);
});

test('the last step cannot be taken away', async () => {
  const all = Array.from({ length: 2 }, (_, step) => rule({ step, rule: 'off' }));
  await expect(follow([scale({ steps: [0, 500] }), ...all])).rejects.toThrow('one step at least must be allowed');
});
