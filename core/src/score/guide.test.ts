import { guideFrom, type Guide } from '../song';
import { claimed, foldedTo, guideNotes, guideOf, offsetFor } from './guide';
import { song, take, track } from './testing';

const guide = (fields: Partial<Guide>, ...notes: [number, number, number][]): Guide =>
  Object.assign(
    guideFrom(
      'tune',
      notes.map(([start, end, midi]) => ({ start, end, midi })),
    ),
    fields,
  );
const sung = (start: number, end: number, pitch = 60) => ({ start, end, sung: pitch });

describe('which note of a guide a sung one is', () => {
  const tune = guide({}, [0, 1, 60], [1, 2, 64], [2.5, 4, 67]);

  test.each([
    ['the one it is sung with', sung(0.1, 0.9), 60],
    ['the one it is sung with longer', sung(0.8, 1.9), 64],
    ['one it is held over', sung(2.4, 5), 67],
    ['none in a rest', sung(2.05, 2.45), undefined],
    ['none it hardly touches', sung(1.95, 2.45), undefined],
    ['none after the end', sung(9, 10), undefined],
  ])('%s', (_, note, midi) => expect(claimed(tune, note)?.midi).toBe(midi));

  test('is told where the guide is heard, in the octave that is sung where it is folded', () => {
    const later = guide({ offsetSeconds: 10, fold: true }, [0, 1, 48]);
    expect(claimed(later, sung(0.1, 0.9))).toBeNull();
    expect(claimed(later, sung(10.1, 10.9, 71.6))).toMatchObject({ midi: 72, start: 10, end: 11 });
    expect(guideNotes(later)).toBe(guideNotes(later));
  });

  test('a long note that began before others is found too', () => {
    const drone = guide({}, [0, 20, 48], [1, 1.5, 60], [2, 2.5, 62]);
    expect(claimed(drone, sung(8, 9))!.midi).toBe(48);
  });

  test.each([
    [60, 60.4, 60],
    [60, 66.1, 72],
    [60, 53.8, 48],
    [60, 89, 84],
  ])('%d folded to %d is %d', (midi, near, folded) => expect(foldedTo(midi, near)).toBe(folded));
});

test('a follower sings its own guide, else that of whom it follows; a circle ends', () => {
  const [lead, own] = [guide({}, [0, 1, 60]), guide({}, [0, 1, 72])];
  const tracks = [
    track('Lead', [take('l')], { guide: lead }),
    track('Double', [take('d')], { followsId: 'Lead' }),
    track('High', [take('h')], { followsId: 'Double', guide: own }),
    track('Odd', [take('o')], { followsId: 'Odd' }),
  ];
  const of = (name: string) =>
    guideOf(
      song(tracks),
      tracks.find(t => t.id === name)!,
    );
  expect([of('Lead'), of('Double'), of('High'), of('Odd')]).toEqual([lead, lead, own, null]);
});

describe('where a guide lies on what was sung', () => {
  const melody = [60, 62, 64, 60, 67, 65, 64];
  const notes = melody.map((m, i) => sung(i + 2.1, i + 2.9, m + (i % 2 ? 0.3 : -0.2)));
  const written = (at: number, up = 0) => melody.map((m, i) => ({ start: i + at, end: i + at + 0.8, midi: m + up }));

  test.each([
    ['earlier', 0.1, 2],
    ['later', 12.1, -10],
  ])('written %s it is moved', (_, at, offset) => expect(offsetFor(written(at), notes, false)).toBeCloseTo(offset, 1));

  test('where it lies about as well as anywhere it stays', () => {
    expect(offsetFor(written(2.12), notes, false)).toBe(0);
    expect(offsetFor([], notes, false)).toBe(0);
    expect(offsetFor(written(0), [], false)).toBe(0);
  });

  test('octaves count as one when they are to be folded', () => {
    expect(offsetFor(written(0.1, 12), notes, true)).toBeCloseTo(2, 1);
    expect(offsetFor(written(0.1, 12), notes, false)).toBe(0);
  });
});
