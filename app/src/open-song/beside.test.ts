import { nothing } from '@essim/core';
import { holdField, useBeside, useSession } from './state';

/** What stands beside the field follows it. */

const go = (phraseAt: number) => useSession.setState({ phraseAt });
const followed: number[] = [];
let stop = () => {};

beforeEach(() => {
  jest.useFakeTimers();
  useSession.setState({ selection: nothing, phraseAt: 0 });
  followed.length = 0;
  stop = useBeside.subscribe(s => void followed.push(s.phraseAt));
});
afterEach(() => {
  holdField(false);
  stop();
  jest.useRealTimers();
});

it('at once, as long as nothing is held there', () => {
  go(1);
  go(2);
  expect(followed).toEqual([1, 2]);
  expect(useBeside.getState()).toBe(useSession.getState());
});

it('now and then while something is held, by what holds then', () => {
  holdField(true);
  go(1);
  go(2);
  expect(followed).toEqual([]);
  jest.advanceTimersByTime(250);
  expect(followed).toEqual([2]);
  go(3);
  jest.advanceTimersByTime(50);
  go(4);
  expect(followed).toEqual([2]);
  jest.advanceTimersByTime(250);
  expect(followed).toEqual([2, 4]);
  jest.advanceTimersByTime(1000);
  expect(followed).toEqual([2, 4]);
});

it('at once when it is let go', () => {
  holdField(true);
  go(7);
  holdField(false);
  expect(useBeside.getState().phraseAt).toBe(7);
  const told = followed.length;
  jest.advanceTimersByTime(1000);
  expect(followed).toHaveLength(told);
  go(8);
  expect(useBeside.getState().phraseAt).toBe(8);
});
