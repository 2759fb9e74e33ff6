import { Score } from '../score';
import { song, sung, take, track } from '../score/testing';
import { FoundAlignment, Tempo, withParts, type Song } from '../song';
import { describedIntents, followRecipe, INTENTS, readRecipe, RecipeError, type Kitchen } from '.';

// its patterns come in a form that only bundlers read
jest.mock('../song/hyphenate', () => ({ hyphenate: (word: string) => [word] }));

/** A lead of four and two notes 30 cents over C4, a double and a harmony that follow it, a piano. */
const takes = { l: sung(60.3, [4, 2]), d: sung(60.2, [4, 2]), h: sung(64.1, [4, 2]), p: sung(48, [4]) };
const made = (): Song =>
  song(
    [
      track('Lead', [take('l')]),
      track('Double', [take('d')], { role: 'double', followsId: 'Lead' }),
      track('High', [take('h')], { role: 'harmony', followsId: 'Lead' }),
      track('Piano', [take('p')], { role: 'backing' }),
    ],
    { key: { tonic: 0, mode: 'major' } },
  );
const found = (): FoundAlignment =>
  Object.assign(new FoundAlignment(), { stamp: 'x', points: [0, 0, 9, 8.9], apart: [], rests: [], confidence: 1 });

const aligned: string[] = [];
const kitchen = (): Kitchen => {
  let count = 0;
  return {
    scoreFor: s => {
      // a part's takes are read as its lead's
      const parts = s.tracks.filter(t => t.part).flatMap(t => t.takes.map(k => [k.id, takes.l] as const));
      return Promise.resolve(new Score(s, { ...takes, ...Object.fromEntries(parts) }));
    },
    findAlignment: (_, follower, ties) => {
      aligned.push(`${follower.name} ${ties.length}`);
      return Promise.resolve(found());
    },
    newId: () => `new-${++count}`,
  };
};

type Step = { do: string; on?: object; with?: object };
const follow = async (steps: Step[], start = made()): Promise<Song> => {
  const all = await followRecipe(start, readRecipe({ recipe: 1, steps }), kitchen());
  return all[all.length - 1]?.song ?? start;
};
const trackOf = (s: Song, name: string) => s.tracks.find(t => t.name === name)!;
/** Edits of a track's only take, in time order. */
const edits = (s: Song, name = 'Lead') =>
  Object.values(trackOf(s, name).takes[0].edits).sort((a, b) => a.start - b.start);
const targets = (s: Song, name = 'Lead') => edits(s, name).map(e => e.target);
const LEAD = { tracks: 'Lead' };

describe('what a step acts on', () => {
  test.each([
    ['a name', { tracks: 'Lead' }, ['Lead']],
    ['a role', { tracks: 'double' }, ['Double']],
    ['a list', { tracks: ['Lead', 'harmony'] }, ['Lead', 'High']],
    ['all voices', { tracks: 'voices' }, ['Lead', 'Double', 'High']],
    ['nothing said', undefined, ['Lead', 'Double', 'High']],
  ])('tracks by %s', async (_, on, names) => {
    const done = await follow([{ do: 'settle', ...(on ? { on } : {}) }]);
    expect(done.tracks.filter(t => Object.keys(t.takes[0].edits).length).map(t => t.name)).toEqual(names);
  });

  test.each([
    ['all', 'all', 6],
    ['by order', { index: [0, 3] }, 2],
    ['between two moments', { between: [1, 2.5] }, 2],
    ['by name', { name: 'C4' }, 6],
    ['by another name', { name: 'D4' }, 0],
    ['longer', { longer: 700 }, 6],
    ['longer than any', { longer: 900 }, 0],
    ['shorter', { shorter: 900 }, 6],
    ['outside the key', { outside: true }, 0],
    ['inside it and late', { outside: false, between: [5, 9] }, 2],
  ])('notes: %s', async (_, notes, count) => {
    const run = follow([{ do: 'pin', on: { ...LEAD, notes } }]);
    if (!count) return expect(run).rejects.toThrow(/no notes/);
    expect(edits(await run)).toHaveLength(count);
  });

  test('a span means what lies mostly in it', async () => {
    expect(edits(await follow([{ do: 'pin', on: { ...LEAD, span: [1.2, 3.5] } }]))).toHaveLength(2);
  });
});

describe('tuning', () => {
  test('settle, place, move and step put notes where they say; what is put by hand is pinned', async () => {
    expect(targets(await follow([{ do: 'settle', on: LEAD }]))).toEqual([60, 60, 60, 60, 60, 60]);
    const placed = await follow([{ do: 'place', on: { ...LEAD, notes: { index: [1] } }, with: { pitch: 62.5 } }]);
    expect(edits(placed)).toMatchObject([{ target: 62.5, pinned: true }]);
    const moved = await follow([{ do: 'move', on: LEAD, with: { semitones: -0.25 } }]);
    expect(targets(moved)[0]).toBeCloseTo(60.05, 6);
    expect(targets(await follow([{ do: 'step', on: LEAD, with: { steps: 2 } }]))[0]).toBe(64);
  });

  test('shape sets several faders at once; null and as-sung take them off', async () => {
    const shaped = await follow([{ do: 'shape', on: LEAD, with: { aim: 50, wander: 40, glideMs: 90 } }]);
    expect(edits(shaped)[0]).toMatchObject({ target: 60, aim: 50, wander: 40, glide: 90 });
    const less = await follow([{ do: 'shape', on: LEAD, with: { glideMs: null } }], shaped);
    expect(edits(less)[0]).not.toHaveProperty('glide');
    expect(edits(await follow([{ do: 'as-sung', on: LEAD }], less))).toEqual([]);
  });

  test('pinned notes are safe from whatever is meant broadly, until they are unpinned or pointed at', async () => {
    const pinned = await follow([
      { do: 'place', on: { ...LEAD, notes: { index: [2] } }, with: { pitch: 61.3 } },
      { do: 'settle', on: LEAD },
      { do: 'shape', on: LEAD, with: { aim: 10, wander: 30 } },
      { do: 'move', on: LEAD, with: { semitones: 1 } },
    ]);
    expect(edits(pinned)[2]).toMatchObject({ target: 61.3 });
    // only Aim moves a note
    expect(edits(pinned)[2]).not.toHaveProperty('aim');
    expect(edits(pinned)[2].wander).toBe(30);
    const pointed = await follow(
      [{ do: 'move', on: { ...LEAD, notes: { index: [2] } }, with: { semitones: 1 } }],
      pinned,
    );
    expect(targets(pointed)[2]).toBeCloseTo(62.3, 6);
    const free = await follow(
      [
        { do: 'unpin', on: LEAD },
        { do: 'settle', on: LEAD },
      ],
      pinned,
    );
    // the rest had been moved to C sharp, which lies outside the key
    expect(targets(free)[2]).toBe(62);
  });

  test('nothing is put where a song could not be opened again', async () => {
    const far = await follow(
      Array.from({ length: 3 }, () => ({
        do: 'move',
        on: { ...LEAD, notes: { index: [0] } },
        with: { semitones: 48 },
      })),
    );
    expect(targets(far)[0]).toBe(128);
  });
});

describe('the song', () => {
  test('its key, chords, tempo and words', async () => {
    const done = await follow([
      { do: 'scale', with: { tonic: 'Bb', name: 'minor' } },
      {
        do: 'chords',
        with: {
          list: [
            [4, 'G'],
            [0, 'D'],
          ],
        },
      },
      { do: 'tempo', with: { bpm: 92, metre: '6/8', firstBar: 0.5 } },
      { do: 'words', on: LEAD, with: { text: 'leave the light on\ncome home' } },
    ]);
    expect(done.key).toEqual({ tonic: 10, mode: 'minor' });
    expect(done.chords.map(c => [c.start, c.name])).toEqual([
      [0, 'D'],
      [4, 'G'],
    ]);
    expect(done.tempo).toMatchObject({
      bpm: 92,
      beatsPerBar: 6,
      beatUnit: 8,
      firstBarSeconds: 0.5,
    } satisfies Partial<Tempo>);
    expect(trackOf(done, 'Lead').takes[0].words.map(w => w.text)).toEqual([
      'leave',
      'the',
      'light',
      'on',
      'come',
      'home',
    ]);
  });

  test('the mix', async () => {
    const done = await follow([
      { do: 'mix', on: { tracks: ['double', 'harmony'] }, with: { levelDb: -6, pan: 0.5, mute: true } },
    ]);
    expect(trackOf(done, 'High')).toMatchObject({ levelDb: -6, pan: 0.5, mute: true });
    expect(trackOf(done, 'Lead')).toMatchObject({ levelDb: 0, mute: false });
  });
});

describe('stacks and parts', () => {
  test('follow, align, tie and leave', async () => {
    aligned.length = 0;
    const done = await follow([
      { do: 'follow', on: { tracks: 'High' }, with: { lead: 'Double' } },
      { do: 'align', on: { tracks: ['Double', 'High'] }, with: { closeness: 80, pitchLean: 30 } },
      { do: 'tie', on: { tracks: 'Double' }, with: { follower: 1.2, lead: 1.1, locked: true } },
      { do: 'leave', on: { tracks: 'Double', span: [3, 4] } },
    ]);
    expect(aligned).toEqual(['Double 0', 'High 0', 'Double 1']);
    expect(trackOf(done, 'High').followsId).toBe('Double');
    expect(trackOf(done, 'Double').align).toMatchObject({
      closeness: 80,
      lean: 30,
      ties: [{ follower: 1.2, lead: 1.1, locked: true }],
      asSung: [{ start: 3, end: 4 }],
    });
    expect(trackOf(done, 'Double').found).not.toBeNull();
  });

  test('a part below its lead, scattered, and edited like any track', async () => {
    const done = await follow([
      { do: 'part', on: LEAD, with: { steps: 2, name: 'Third' } },
      { do: 'scatter', on: { tracks: 'Third' }, with: { time: 40, pitch: 20, seed: 9 } },
      { do: 'place', on: { tracks: 'Third', notes: { index: [0] } }, with: { pitch: 67 } },
    ]);
    expect(done.tracks.map(t => t.name)).toEqual(['Lead', 'Third', 'Double', 'High', 'Piano']);
    expect(trackOf(done, 'Third').part).toMatchObject({
      by: 'steps',
      amount: 2,
      scatterTime: 40,
      scatterPitch: 20,
      seed: 9,
    });
    expect(edits(done, 'Third')).toMatchObject([{ target: 67, pinned: true }]);
    expect(withParts(done)).toBe(done);
  });

  test.each([
    ['following in a circle', { do: 'follow', on: LEAD, with: { lead: 'Double' } }, /already follows/],
    ['following nobody there', { do: 'follow', on: LEAD, with: { lead: 'Choir' } }, /no track "Choir"/],
    ['aligning who follows nobody', { do: 'align', on: LEAD }, /none of these tracks follows/],
    ['a part both ways', { do: 'part', on: LEAD, with: { steps: 2, semitones: 3 } }, /either steps or semitones/],
    ['a part of a backing', { do: 'part', on: { tracks: 'Piano' }, with: { steps: 2 } }, /a part is made from a voice/],
    ['scattering who leads', { do: 'scatter', on: LEAD, with: { time: 3 } }, /a part or follows/],
    ['a track nobody has', { do: 'settle', on: { tracks: 'Choir' } }, /no track "Choir"/],
    ['a metre that is none', { do: 'tempo', with: { bpm: 90, metre: '200/4' } }, /metre "200\/4"/],
  ])('refuses %s, and says which step', async (_, step, reason) => {
    const run = follow([{ do: 'settle', on: LEAD }, step]);
    await expect(run).rejects.toThrow(RecipeError);
    await expect(run).rejects.toThrow(/^step 2, /);
    await expect(run).rejects.toThrow(reason);
  });
});

describe('a recipe', () => {
  const steps = (...list: unknown[]) => ({ recipe: 1, steps: list });
  test.each([
    ['no object', 7, /not a recipe/],
    ['another version', { recipe: 2, steps: [] }, /newer Essim/],
    ['no version', { steps: [] }, /must be 1/],
    ['an unknown command', steps({ do: 'conjure' }), /step 1: there is no command "conjure"/],
    ['a command of an object', steps({ do: 'constructor' }), /no command/],
    ['an unknown argument', steps({ do: 'settle', with: { speed: 3 } }), /step 1, settle: it takes no "speed"/],
    [
      'a value out of bounds',
      steps({ do: 'pin' }, { do: 'pin' }, { do: 'shape', with: { wander: 140 } }),
      /^step 3, shape: wander 140 is over 100 %$/,
    ],
    ['a value that is none', steps({ do: 'shape', with: { aim: '5' } }), /aim "5" is no number/],
    ['an unknown choice', steps({ do: 'settle', with: { to: 'heaven' } }), /none of key, chord, semitones/],
    ['a missing argument', steps({ do: 'place' }), /"pitch" is missing/],
    ['a half step', steps({ do: 'step', with: { steps: 1.5 } }), /no whole number/],
    ['a filter nobody knows', steps({ do: 'pin', on: { notes: { colour: 'red' } } }), /on.notes: it has "colour"/],
    ['a span the wrong way round', steps({ do: 'leave', on: { span: [4, 2] } }), /on.span/],
    ['chords without names', steps({ do: 'chords', with: { list: [[1, 2]] } }), /pair 1/],
    ['a word too many', steps({ do: 'pin', when: 'now' }), /"when"/],
  ])('is refused with the step and the field: %s', (_, recipe, reason) => {
    expect(() => readRecipe(recipe)).toThrow(RecipeError);
    expect(() => readRecipe(recipe)).toThrow(reason);
  });
});

test('every command is described: its name, what it acts on, and its arguments with their bounds', () => {
  const all = describedIntents();
  expect(new Set(all.map(i => i.name)).size).toBe(INTENTS.length);
  for (const i of all) {
    expect(i.name).toMatch(/^[a-z][a-z-]*$/);
    expect(i.about.length).toBeGreaterThan(10);
    for (const a of i.args) expect(a.about.length).toBeGreaterThan(3);
  }
  expect(all.map(i => i.name)).toEqual(
    expect.arrayContaining([
      'settle',
      'place',
      'move',
      'step',
      'shape',
      'pin',
      'unpin',
      'as-sung',
      'scale',
      'follow',
      'align',
      'tie',
      'leave',
      'part',
      'scatter',
      'mix',
      'chords',
      'tempo',
      'words',
    ]),
  );
});
