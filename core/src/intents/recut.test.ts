import { song, sung, take, track } from '../score/testing';
import { asDataUrl, bytesOfDataUrl } from './data-url';
import { longEnough } from './recut';
import { followed } from './testing';

describe('pieces that are long enough for notes', () => {
  const of = (...pieces: [number, number][]) =>
    longEnough(pieces.map(([start, end]) => ({ start, end }))).map(p => [p.start, p.end]);

  test.each([
    [
      'a short one goes to the one before',
      [
        [0, 20],
        [20, 23],
        [23, 50],
      ],
      [
        [0, 23],
        [23, 50],
      ],
    ],
    [
      'a short first one to the one after',
      [
        [0, 3],
        [3, 50],
      ],
      [[0, 50]],
    ],
    [
      'one that touches nothing goes',
      [
        [0, 20],
        [30, 33],
        [40, 60],
      ],
      [
        [0, 20],
        [40, 60],
      ],
    ],
    [
      'long ones stay',
      [
        [0, 20],
        [20, 40],
      ],
      [
        [0, 20],
        [20, 40],
      ],
    ],
  ] as [string, [number, number][], [number, number][]][])('%s', (_, given, left) =>
    expect(of(...given)).toEqual(left),
  );

  test('what was given is not changed', () => {
    const given = [
      { start: 0, end: 20 },
      { start: 20, end: 22 },
    ];
    longEnough(given);
    expect(given[0]).toEqual({ start: 0, end: 20 });
  });
});

describe('a part, whose reading is its lead’s', () => {
  const takes = { l: sung(60.3, [4]) };
  const start = () => song([track('Lead', [take('l')])], { key: { tonic: 0, mode: 'major' } });
  const withPartOf = async () => {
    const made = await followed(
      start(),
      [{ do: 'part', on: { tracks: 'Lead' }, with: { steps: 2, name: 'High' } }],
      takes,
    );
    const part = made.tracks.find(t => t.part)!;
    return { made, takes: { ...takes, [part.takes[0].id]: takes.l } };
  };

  test.each([
    [
      'whole takes are not turned into notes',
      [
        { do: 'whole-take', on: { tracks: 'High' } },
        { do: 'into-notes', on: { tracks: 'High' } },
      ],
    ],
    [
      'nothing is drawn where its lead has no note',
      [
        {
          do: 'draw',
          on: { tracks: 'High' },
          with: {
            points: [
              [0.92, 62],
              [1.08, 62],
            ],
          },
        },
      ],
    ],
  ])('%s', async (_, steps) => {
    const { made, takes: all } = await withPartOf();
    await expect(followed(made, steps, all)).rejects.toThrow('High is a part: what is read of it belongs to its lead');
  });
});

test('bytes stand in a recipe as a text and come out as they were', () => {
  const bytes = Uint8Array.from({ length: 300 }, (_, i) => (i * 7) % 256);
  expect([...bytesOfDataUrl(asDataUrl(bytes))]).toEqual([...bytes]);
  expect(() => bytesOfDataUrl('data:audio/midi;base64,a')).toThrow('the file is damaged');
});
