import { seededRandom } from '../signal/random';
import { validated, validatedEdits } from './check';
import { NoteEdit } from './document';

/** Edits are looked at in a quick way where that is enough: it must find what the thorough one finds. */

const VALUES: unknown[] = [
  0,
  1,
  -1,
  50,
  64.5,
  100,
  101,
  128.5,
  1e5,
  -60,
  NaN,
  Infinity,
  '5',
  '',
  true,
  false,
  null,
  undefined,
];
VALUES.push([], [1, 2], {}, { start: 0, end: 1 }, { start: 2, end: 1 }, 'muted', 'smooth', () => 1, Symbol('s'), 5n);
const FIELDS = [
  'start',
  'end',
  'target',
  'aim',
  'vibrato',
  'glidePlace',
  'silent',
  'fadeShape',
  'pinned',
  'settle',
  'swayHz',
];
FIELDS.push('centre', 'parts', 'drawn', 'added', 'colour', 'unknown', 'constructor', 'toString', '__proto__');

const outcome = (make: () => unknown): unknown => {
  try {
    return make();
  } catch (error) {
    return (error as Error).message.replace('edits.note.', '');
  }
};

it.each([1, 2])('finds the same as class-validator does, whatever an edit holds (%i)', seed => {
  const random = seededRandom(seed);
  const pick = <T>(list: readonly T[]) => list[Math.floor(random.uniform() * list.length)];
  const kinds = { taken: 0, refused: 0 };
  for (let i = 0; i < 800; i++) {
    const edit: Record<string, unknown> = random.uniform() < 0.9 ? { start: 1, end: 1.5, target: 60, aim: 80 } : {};
    const odd = Math.floor(3 * random.uniform());
    for (let k = 0; k < odd; k++)
      Object.defineProperty(edit, pick(FIELDS), {
        value: pick(VALUES),
        enumerable: true,
        configurable: true,
        writable: true,
      });
    const quick = outcome(() => validatedEdits({ note: edit }).note);
    expect(quick).toEqual(outcome(() => validated(NoteEdit, edit)));
    if (quick instanceof NoteEdit) kinds.taken++;
    else kinds.refused++;
    expect(({} as { aim?: number }).aim).toBeUndefined();
  }
  expect(Math.min(kinds.taken, kinds.refused)).toBeGreaterThan(100);
});

it.each([null, undefined, 5, 'note', [], [{ start: 0, end: 1 }]])('takes %p for no edit', value => {
  expect(() => validatedEdits({ note: value })).toThrow(/edits\.note\.expected noteedit/);
});
