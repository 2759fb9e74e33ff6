import { now, open, song, sung, take, track, withSound } from '../testing';
import { setOpened } from '../open-song/state';
import { useSession } from '../open-song';
import { goToMoment } from '../open-song';
import { goToPhrase, phraseNow } from './commands';

// what the page keeps of light and night is not there
jest.mock('./theme', () => ({ toggleTheme: () => {} }));

/** Going about a song of two phrases of three notes, a second apart. */
const s = useSession.getState;
const seen = () => [s().view.from, s().view.to];

beforeEach(async () => {
  await open(song([track('lead', [take('a')])]), { a: sung(60, [3, 3]) });
  withSound({ a: 8 });
  useSession.setState({ duration: 60, view: { from: 0, to: 5, low: 55, high: 70 } });
});
afterEach(() => setOpened(null));

test('a moment out of sight comes into view, as wide as it was; one in sight moves nothing', () => {
  goToMoment(40);
  const [from, to] = seen();
  expect(from).toBeLessThan(40);
  expect(to).toBeGreaterThan(40);
  expect(to - from).toBeCloseTo(5, 6);
  goToMoment(41);
  expect(seen()).toEqual([from, to]);
});

test('a moment at either end is shown without looking beyond the song', () => {
  goToMoment(59.9);
  expect(seen()[1]).toBeGreaterThan(59.9);
  goToMoment(0);
  expect(seen()[0]).toBeLessThanOrEqual(0.01);
});

test('a phrase comes into view whole, and is the phrase that is worked on', () => {
  expect(now().tracks).toHaveLength(1);
  const { phrases } = s().views.lead;
  expect(phrases.length).toBeGreaterThan(1);
  goToPhrase(1);
  const [from, to] = seen();
  expect(from).toBeLessThanOrEqual(phrases[1].start);
  expect(to).toBeGreaterThanOrEqual(phrases[1].end);
  expect(phraseNow()).toBe(1);
  // there is no such phrase: nothing happens
  goToPhrase(7);
  expect(seen()).toEqual([from, to]);
});
