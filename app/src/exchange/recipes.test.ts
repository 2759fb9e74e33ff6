import { followRecipe, Listener, readRecipe, writeMidi } from '@essim/core';
import { singPhrases } from '@essim/demo';
import { closeSong, openSong, written } from '../open-song';
import { db } from '../keeping/db';
import { addSong, loadHistory } from '../keeping/songs';
import { keepSource } from '../keeping/sources';
import { song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import { closeRecipe, followInSongs, isRecipe, openRecipe, stopRecipe, useRecipes } from './recipes';

/** Recipes followed in songs of the shelf, through their worker and the database. */

const lead = singPhrases([0], { seed: 3 }).samples.slice(0, 4.5 * 48000);
const recipe = {
  recipe: 1,
  steps: [
    { do: 'settle', on: { tracks: 'lead' }, with: { to: 'semitones' } },
    { do: 'move', on: { tracks: 'lead', notes: { index: [1] } }, with: { semitones: 0.5 } },
  ],
};
const file = (text: string, name = 'house.json') => new File([text], name);
const rows = () => useRecipes.getState().rows;
const of = (id: string) => rows().find(r => r.songId === id);
let original: ReturnType<typeof song>;

jest.setTimeout(30000);
beforeAll(async () => {
  allowWorkers();
  const sourceId = await keepSource('lead.wav', 48000, [lead]);
  original = song([track('Lead', [take('l', { sourceId })])], { key: { tonic: 2, mode: 'major' } });
  await addSong({ ...original, id: 'one', name: 'Quay One' });
  await addSong({ ...original, id: 'two', name: 'Quay Two', tracks: [{ ...original.tracks[0], role: 'double' }] });
});
afterEach(closeRecipe);

it('does in each song what the same commands do, as undo steps of it; a song in which one fails stays as it was', async () => {
  await openRecipe(file(JSON.stringify(recipe)));
  expect(useRecipes.getState().recipe).toHaveLength(2);
  await followInSongs([
    { id: 'one', name: 'Quay One' },
    { id: 'two', name: 'Quay Two' },
  ]);
  expect(of('one')).toMatchObject({ status: 'done', told: '2 in its undo history' });
  expect(of('two')).toMatchObject({
    status: 'failed',
    told: expect.stringMatching(/^step 1, settle: .*"lead"/) as string,
  });
  const { history } = await loadHistory('one');
  expect(history.entries).toHaveLength(2);
  expect((await loadHistory('two')).history.entries).toHaveLength(0);

  // and the same samples as the recipe gives without a browser
  let count = 0;
  const listener = new Listener({ channels: () => Promise.resolve([lead]) });
  const made = await followRecipe(original, readRecipe(recipe), {
    scoreFor: (s, tracks, edited) => listener.score(s, tracks, edited),
    findAlignment: (s, follower, ties) => listener.findAlignment(s, follower, ties),
    newId: () => `new-${count++}`,
  });
  const render = async (s: typeof original) => (await listener.rendered(s, s.tracks[0])).sources.get('l')![0];
  const wanted = await render(made[1].song);
  const differing = (a: Float32Array, b: Float32Array) => a.reduce((sum, v, i) => sum + Number(v !== b[i]), 0);
  expect(differing(wanted, lead)).toBeGreaterThan(1000);
  expect(differing(await render({ ...history.song, id: original.id }), wanted)).toBe(0);

  // opened at a desk, they can be taken back
  await openSong('one');
  expect(history.undo()!.history.undo()!.history.song.tracks[0].takes[0].edits).toEqual({});
  closeSong();
  await written();
});

it('leaves a song that is being edited alone, and says so', async () => {
  // another tab holds the song
  const locks = { request: (_: string, __: object, work: (lock: null) => unknown) => Promise.resolve(work(null)) };
  Object.defineProperty(navigator, 'locks', { value: locks, configurable: true });
  const before = await db.songs.get('one');
  await openRecipe(file(JSON.stringify(recipe)));
  await followInSongs([{ id: 'one', name: 'Quay One' }]);
  expect(of('one')).toMatchObject({ status: 'failed', told: expect.stringContaining('open in a tab') as string });
  expect(await db.songs.get('one')).toEqual(before);
  Reflect.deleteProperty(navigator, 'locks');
});

it('stops, and nothing is written', async () => {
  await openRecipe(file(JSON.stringify(recipe)));
  const before = await db.songs.get('one');
  const following = followInSongs([
    { id: 'one', name: 'Quay One' },
    { id: 'two', name: 'Quay Two' },
  ]);
  stopRecipe();
  await following;
  expect(rows().map(r => [r.status, r.told])).toEqual([
    ['failed', 'step 1, settle: stopped'],
    ['failed', 'stopped'],
  ]);
  expect(await db.songs.get('one')).toEqual(before);
});

it.each([
  ['no JSON', 'settle everything'],
  ['no recipe', '{"songs": []}'],
  ['an unknown command', '{"recipe": 1, "steps": [{"do": "polish"}]}'],
])('refuses a file with %s', async (_, text) => {
  await openRecipe(file(text));
  expect(useRecipes.getState().recipe).toBeNull();
});

it('takes the files that its steps name along, and says which one is missing', async () => {
  const text = JSON.stringify({ recipe: 1, steps: [{ do: 'guide', with: { midi: 'melodies/tune.mid', offset: 0 } }] });
  await openRecipe(file(text));
  expect(useRecipes.getState().recipe).toBeNull();
  const bytes = writeMidi('tune', [{ start: 0, end: 1, midi: 60 }], 92) as Uint8Array<ArrayBuffer>;
  await openRecipe(file(text), [new File([bytes], 'tune.mid')]);
  const { recipe: read, written } = useRecipes.getState();
  expect(read![0].args.midi).toMatch(/^data:/);
  // the worker reads it again without them
  expect(readRecipe(written)[0].args).toEqual(read![0].args);
});

it('knows recipes by their ending', () => {
  expect([isRecipe({ name: 'House.JSON' }), isRecipe({ name: 'lead.wav' })]).toEqual([true, false]);
});
