import { chordTones, pitchClass } from '../music';
import { choirOf, Score, type TakeView } from '../score';
import { readingOf, heardView, song, take, track } from '../score/testing';
import { Chord, FoundAlignment, Tempo, validatedSong, withParts, withoutParts, type Song } from '../song';
import { asDataUrl } from './data-url';
import { writeMidi } from '../files/midi';
import { followRecipe, readRecipe, type Kitchen } from '.';
import type { WrittenStep } from './testing';

/** D major at 60 bpm: a lead of eight notes of .9 s over two bars of four, chords a bar. */
const MELODY = [62, 64, 66, 67, 69, 67, 66, 64];
const lead = (): TakeView => {
  const line = new Float32Array(200 * 9).fill(NaN);
  MELODY.forEach((m, i) => line.fill(m + 0.1, 200 * i + 4, 200 * i + 184));
  return heardView(
    readingOf(
      line,
      MELODY.map((_, i) => [i + 0.02, i + 0.92]),
    ),
    take('l'),
  );
};
const chord = (start: number, name: string) => Object.assign(new Chord(), { start, name });
const made = (): Song =>
  song(
    [
      track('Lead', [take('l')]),
      track('Double', [take('d')], { role: 'double', followsId: 'Lead' }),
      track('Piano', [take('p')], { role: 'backing' }),
    ],
    {
      key: { tonic: 2, mode: 'major' },
      tempo: Object.assign(new Tempo(), { bpm: 60, beatsPerBar: 4, firstBarSeconds: 0 }),
      chords: [chord(0, 'D'), chord(4, 'A')],
    },
  );

const view = lead();
const scoreFor = (s: Song) => new Score(s, Object.fromEntries(s.tracks.flatMap(t => t.takes.map(k => [k.id, view]))));
const follow = async (steps: WrittenStep[], start = made()): Promise<Song> => {
  let count = 0;
  const kitchen: Kitchen = {
    scoreFor: s => Promise.resolve(scoreFor(s)),
    findAlignment: () => Promise.resolve(new FoundAlignment()),
    newId: () => `new-${++count}`,
  };
  const all = await followRecipe(
    start,
    readRecipe({ recipe: 1, steps }, () => midi),
    kitchen,
  );
  return all[all.length - 1].song;
};
const midi = writeMidi(
  'Tune',
  MELODY.map((_, i) => ({ start: i, end: i + 0.95, midi: 57 + i })),
  60,
);
const LEAD = { tracks: 'Lead' };
const named = (s: Song, name: string) => s.tracks.find(t => t.name === name)!;
/** What a track sings: MIDI, or null where it rests. */
const sings = (s: Song, name: string) => {
  const { notes, edits } = scoreFor(s).view(named(s, name).id);
  return notes.map(n => (edits[n.key]?.silent ? null : edits[n.key]?.target));
};

describe('parts from chords', () => {
  const voices = [
    { name: 'High', low: 65, high: 79 },
    { name: 'Low', low: 50, high: 64 },
  ];

  test('are led together, in their compass, through the chords', async () => {
    const s = await follow([{ do: 'chord-parts', on: LEAD, with: { voices: [...voices].reverse() } }]);
    expect(s.tracks.map(t => t.name)).toEqual(['Lead', 'High', 'Low', 'Double', 'Piano']);
    expect(choirOf(s, named(s, 'Low')).map(t => t.name)).toEqual(['High', 'Low']);
    expect(named(s, 'High').pan).toBe(-named(s, 'Low').pan);
    for (const [v, { name, low, high }] of voices.entries()) {
      const line = sings(s, name);
      line.forEach((m, i) => {
        expect(m! >= low && m! <= high).toBe(true);
        // every second beat is strong
        if (i % 2 === 0) expect(chordTones(i < 4 ? 'D' : 'A')).toContain(pitchClass(m!));
        if (v) expect(m!).toBeLessThan(sings(s, 'High')[i]!);
      });
    }
  });

  test('go along with their lead and with the chords, and keep what was set by hand', async () => {
    const steps = [{ do: 'chord-parts', on: LEAD, with: { voices } }];
    const first = await follow([
      ...steps,
      { do: 'place', on: { tracks: 'Low', notes: { index: [2] } }, with: { pitch: 57 } },
    ]);
    const other = await follow(
      [
        {
          do: 'chords',
          with: {
            list: [
              [0, 'Bm'],
              [4, 'Em'],
            ],
          },
        },
      ],
      first,
    );
    expect(sings(other, 'Low')[2]).toBe(57);
    expect(sings(other, 'High')).not.toEqual(sings(first, 'High'));
    sings(other, 'High').forEach((m, i) => {
      if (i % 2 === 0) expect(chordTones(i < 4 ? 'Bm' : 'Em')).toContain(pitchClass(m!));
    });
    const higher = await follow([{ do: 'move', on: LEAD, with: { semitones: 2, snap: 'key' } }], first);
    expect(sings(higher, 'High')).not.toEqual(sings(first, 'High'));
  });

  test('go another way: all of a part, a phrase of the choir, one note', async () => {
    const first = await follow([{ do: 'chord-parts', on: LEAD, with: { voices } }]);
    const all = await follow([{ do: 'another-way', on: { tracks: 'High' }, with: { seed: 7 } }], first);
    expect(named(all, 'High').part!.way).toBe(7);
    expect(named(all, 'Low').part!.way).toBe(7);
    expect([...sings(all, 'High'), ...sings(all, 'Low')]).not.toEqual([
      ...sings(first, 'High'),
      ...sings(first, 'Low'),
    ]);
    const back = await follow([{ do: 'another-way', on: { tracks: 'High' }, with: { seed: 0 } }], all);
    expect(sings(back, 'High')).toEqual(sings(first, 'High'));

    const note = { tracks: 'High', notes: { index: [3] } };
    const one = await follow([{ do: 'another-way', on: note, with: { seed: 1 } }], first);
    expect(sings(one, 'High').map((m, i) => m !== sings(first, 'High')[i])).toEqual(MELODY.map((_, i) => i === 3));
    expect(sings(await follow([{ do: 'another-way', on: note, with: { seed: 0 } }], one), 'High')).toEqual(
      sings(first, 'High'),
    );

    const phrase = { tracks: 'High', notes: { between: [3.5, 8] } };
    const some = await follow([{ do: 'another-way', on: phrase, with: { seed: 3 } }], first);
    expect(sings(some, 'High').slice(0, 3)).toEqual(sings(first, 'High').slice(0, 3));
    expect(Object.keys(named(some, 'Low').takes[0].edits)).toHaveLength(5);
  });

  test('two about the lead where nothing is said, and without chords by the key', async () => {
    const s = await follow([{ do: 'chord-parts', on: LEAD }], Object.assign(made(), { chords: [] }));
    expect(s.tracks.map(t => t.name)).toEqual(['Lead', 'High', 'Low', 'Double', 'Piano']);
    for (const m of sings(s, 'High')) expect([2, 4, 6, 7, 9, 11, 1]).toContain(pitchClass(m!));
  });

  test.each([
    [{ voices: [] }, /list of voices/],
    [{ voices: [{ low: 60, high: 61 }] }, /narrower/],
    [{ voices: [{ low: 60, high: 90, wide: 1 }] }, /takes no "wide"/],
    [{ voices: Array.from({ length: 5 }, () => ({ low: 60, high: 72 })) }, /more than 4/],
  ])('refuses %j', async (args, message) => {
    await expect(follow([{ do: 'chord-parts', on: LEAD, with: args }])).rejects.toThrow(message);
  });
});

describe('a part from a guide', () => {
  const notes = [
    [0, 1, 57],
    [1, 1.45, 59],
    [1.5, 2, 61],
    [4, 5, 64],
  ];

  test('sings it on the words of its lead, several pitches on one where it says so, and rests where it rests', async () => {
    const s = await follow([{ do: 'part-from', on: LEAD, with: { notes, name: 'Low' } }]);
    expect(sings(s, 'Low')).toEqual([57, expect.any(Number), null, null, 64, null, null, null]);
    const { edits, notes: own } = scoreFor(s).view(named(s, 'Low').id);
    const [stroke] = edits[own[1].key].drawn!;
    expect(stroke.filter((_, i) => i % 2)).toEqual([59, 59, 61, 61]);
    expect(stroke[2]).toBeLessThan(1.5);
    expect(stroke[4]).toBeGreaterThan(1.5);
  });

  test('a note that rests is sung where it is put; one muted by hand stays muted', async () => {
    const first = await follow([{ do: 'part-from', on: LEAD, with: { notes, name: 'Low' } }]);
    const put = { do: 'place', on: { tracks: 'Low', notes: { index: [2] } }, with: { pitch: 62 } };
    expect(sings(await follow([put], first), 'Low')[2]).toBe(62);
    const muted = await follow([{ do: 'mute', on: { tracks: 'Low', notes: { index: [0] } } }], first);
    const moved = await follow(
      [{ do: 'place', on: { tracks: 'Low', notes: { index: [0] } }, with: { pitch: 62 } }],
      muted,
    );
    expect(sings(moved, 'Low')[0]).toBeNull();
  });

  test('comes from a file, from another track or from the lead itself', async () => {
    const file = await follow([{ do: 'part-from', on: LEAD, with: { guide: 'tune.mid' } }]);
    expect(sings(file, 'Tune')).toEqual(MELODY.map((_, i) => 57 + i));
    const guided = await follow([
      { do: 'guide', on: LEAD, with: { notes, offset: 0 } },
      { do: 'part-from', on: LEAD, with: { name: 'One' } },
      { do: 'part-from', on: LEAD, with: { guide: 'Lead', name: 'Two' } },
    ]);
    expect(sings(guided, 'One')).toEqual(sings(guided, 'Two'));
    await expect(follow([{ do: 'part-from', on: LEAD }])).rejects.toThrow(/no guide/);
    await expect(follow([{ do: 'part-from', on: LEAD, with: { guide: 'Choir' } }])).rejects.toThrow(/no track "Choir"/);
    await expect(
      follow([{ do: 'part-from', on: LEAD, with: { guide: asDataUrl(new Uint8Array([1, 2, 3])) } }]),
    ).rejects.toThrow(/midi/);
  });
});

describe('a made double', () => {
  test('is the track again; of a part too, which it goes along with', async () => {
    const s = await follow([
      { do: 'part', on: LEAD, with: { steps: 2, name: 'Third' } },
      { do: 'double', on: { tracks: 'Third' }, with: { semitones: -12, formant: -3, scatter: 80, name: 'Deep' } },
      { do: 'double', on: LEAD },
    ]);
    expect(sings(s, 'Deep')).toEqual(sings(s, 'Third').map(m => m! - 12));
    expect(named(s, 'Deep').part).toMatchObject({ formant: -3, scatterTime: 80, scatterPitch: 80, amount: -12 });
    expect(named(s, 'Lead double').part).toMatchObject({ amount: 0, scatterTime: 100, formant: 0.7 });
    const moved = await follow(
      [{ do: 'place', on: { tracks: 'Third', notes: { index: [0] } }, with: { pitch: 69 } }],
      s,
    );
    expect(sings(moved, 'Deep')[0]).toBe(57);
    // it is stored by what is its own, and comes back whole
    const back = validatedSong(JSON.parse(JSON.stringify(withoutParts(moved))));
    expect(sings(back, 'Deep')).toEqual(sings(moved, 'Deep'));
    expect(withParts(back)).toBe(back);
  });

  test('of itself in a circle is refused as a document', async () => {
    const s = await follow([
      { do: 'double', on: LEAD, with: { name: 'One' } },
      { do: 'double', on: { tracks: 'One' }, with: { name: 'Two' } },
    ]);
    const bad = JSON.parse(JSON.stringify(withoutParts(s)));
    bad.tracks.find((t: { name: string }) => t.name === 'One').part.fromId = named(s, 'Two').id;
    expect(() => validatedSong(bad)).toThrow(/circle/);
  });
});

describe('how a part sings', () => {
  test('steadier, with less vibrato, blended: darker, evener', async () => {
    const s = await follow([
      { do: 'shape', on: LEAD, with: { wander: 80 } },
      { do: 'part', on: LEAD, with: { steps: 2, name: 'Third' } },
      { do: 'manner', on: { tracks: 'Third' }, with: { wander: 50, vibrato: 0, blend: 60 } },
    ]);
    const { edits, notes } = scoreFor(s).view(named(s, 'Third').id);
    expect(edits[notes[0].key]).toMatchObject({ wander: 40, vibrato: 0, brightness: -3 });
    await expect(follow([{ do: 'manner', on: LEAD, with: { blend: 3 } }])).rejects.toThrow(/is a part/);
  });

  test('a follower too near its lead is scattered like a part', async () => {
    const s = await follow([{ do: 'scatter', on: { tracks: 'Double' }, with: { time: 60, pitch: 30, seed: 4 } }]);
    expect(named(s, 'Double').align).toMatchObject({ scatterTime: 60, scatterPitch: 30, seed: 4, closeness: 100 });
  });
});
