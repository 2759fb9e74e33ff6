import { kept } from './kept';

test('what is kept is made once; what was asked for longest ago makes room', () => {
  const map = new Map<string, number>();
  const made: string[] = [];
  const get = (key: string) =>
    kept(map, key, 2, () => {
      made.push(key);
      return made.length;
    });
  expect([get('a'), get('b'), get('a')]).toEqual([1, 2, 1]);
  // b is the one not asked for since
  expect(get('c')).toBe(3);
  expect([...map.keys()]).toEqual(['a', 'c']);
  expect([get('a'), get('b')]).toEqual([1, 4]);
  expect(made).toEqual(['a', 'b', 'c', 'b']);
});

test('what nothing is kept for may be undefined, and is not made twice for it', () => {
  const map = new Map<number, undefined>();
  let made = 0;
  for (let i = 0; i < 3; i++) kept(map, 1, 1, () => void made++);
  expect(made).toBe(1);
});
