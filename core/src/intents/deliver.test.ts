import { Score } from '../score';
import { song, sourceOf, sung, take, track } from '../score/testing';
import { DocumentError, recordingsOf, validatedSong, withoutParts, type Song } from '../song';
import { followRecipe, readRecipe, type Kitchen } from '.';
import type { WrittenStep } from './testing';

const views = { l: sung(60.2, [3, 2]), d: sung(60.1, [3, 2]) };
const made = (): Song =>
  song(
    [
      track('Lead', [take('l', { sourceId: sourceOf('1') })], { levelDb: -3, pan: 0.2, solo: true }),
      track('Double', [take('d', { sourceId: sourceOf('2') })], { role: 'double', followsId: 'Lead' }),
    ],
    { key: { tonic: 0, mode: 'major' } },
  );

async function follow(steps: WrittenStep[], start = made(), sounds = true): Promise<Song> {
  let count = 0;
  const kitchen: Kitchen = {
    scoreFor: s => Promise.resolve(new Score(s, views)),
    findAlignment: () => Promise.reject(new Error('nobody follows')),
    ...(sounds ? { bounce: (_, t) => Promise.resolve(sourceOf(t.name === 'Lead' ? '8' : '9')) } : {}),
    newId: () => `new-${++count}`,
  };
  const all = await followRecipe(start, readRecipe({ recipe: 1, steps }), kitchen);
  return all[all.length - 1].song;
}
const named = (s: Song, name: string) => s.tracks.find(t => t.name === name)!;
/** As it is stored and read again. */
const stored = (s: Song): Song => validatedSong(JSON.parse(JSON.stringify(withoutParts(s))));
const SETTLE = { do: 'settle', on: { tracks: 'Lead' }, with: { to: 'key' } };
const edits = (s: Song) => Object.keys(named(s, 'Lead').takes[0].edits).length;

describe('master', () => {
  it('is the level of all together, within bounds', async () => {
    expect((await follow([{ do: 'master', with: { levelDb: -4.5 } }])).masterDb).toBe(-4.5);
    expect(() => readRecipe({ recipe: 1, steps: [{ do: 'master', with: { levelDb: 30 } }] })).toThrow(
      'step 1, master: levelDb 30 is over 24 dB',
    );
  });
});

describe('a bounce', () => {
  it('is a track of its own in the original’s place; the original is muted, with every edit', async () => {
    const s = await follow([SETTLE, { do: 'bounce', on: { tracks: 'Lead' } }]);
    expect(s.tracks.map(t => t.name)).toEqual(['Lead', 'Lead bounced', 'Double']);
    const [original, bounce] = s.tracks;
    expect(original).toMatchObject({ mute: true, solo: false });
    expect(edits(s)).toBe(5);
    expect(bounce).toMatchObject({
      role: 'lead',
      levelDb: -3,
      pan: 0.2,
      solo: true,
      mute: false,
      bouncedFromId: original.id,
      followsId: null,
    });
    expect(bounce.takes).toHaveLength(1);
    expect(bounce.takes[0]).toMatchObject({ sourceId: sourceOf('8'), offsetSeconds: 0, edits: {} });
    expect(stored(s).tracks[1].bouncedFromId).toBe(original.id);
    // those who follow the original do so still
    expect(named(s, 'Double').followsId).toBe(original.id);
  });

  it('of several tracks at once, twice the same under another name, and opened again', async () => {
    const s = await follow([
      { do: 'bounce', on: { tracks: ['Lead', 'Double'] } },
      { do: 'bounce', on: { tracks: 'Lead' } },
      { do: 'reopen', on: { tracks: 'Lead bounced' } },
    ]);
    expect(s.tracks.map(t => t.name)).toEqual(['Lead', 'Lead bounced 2', 'Lead bounced', 'Double', 'Double bounced']);
    expect(named(s, 'Lead').mute).toBe(false);
    expect(named(s, 'Lead bounced').mute).toBe(true);
    await expect(follow([{ do: 'reopen', on: { tracks: 'Lead' } }])).rejects.toThrow('Lead is no bounce');
  });

  it('needs sound, and a track that has some', async () => {
    await expect(follow([{ do: 'bounce', on: { tracks: 'Lead' } }], made(), false)).rejects.toThrow(
      'nothing can be heard',
    );
    const empty = song([track('Lead', [])]);
    await expect(follow([{ do: 'bounce', on: { tracks: 'Lead' } }], empty)).rejects.toThrow('no sound yet');
  });
});

describe('versions', () => {
  const keep = (name: string) => ({ do: 'version', with: { name } });

  it('keep the song as it is; going back is exact, and the versions stay', async () => {
    const s = await follow([keep('As it came'), SETTLE, keep('Settled'), { do: 'master', with: { levelDb: -6 } }]);
    expect(s.versions.map(v => v.name)).toEqual(['As it came', 'Settled']);
    const first = await follow([{ do: 'back-to', with: { name: 'As it came' } }], s);
    expect(edits(first)).toBe(0);
    expect(first.masterDb).toBe(0);
    expect(first.versions).toEqual(s.versions);
    const second = await follow([{ do: 'back-to', with: { name: 'Settled' } }], stored(first));
    expect(named(second, 'Lead').takes[0].edits).toEqual(named(s, 'Lead').takes[0].edits);
    expect((await follow([{ do: 'forget-version', with: { name: 'Settled' } }], s)).versions).toHaveLength(1);
  });

  it('hold on to their recordings when the song has no use for them any more', async () => {
    const kept = await follow([keep('Both')]);
    const alone = { ...kept, tracks: kept.tracks.filter(t => t.name === 'Lead') };
    expect(recordingsOf(alone).sort()).toEqual([sourceOf('1'), sourceOf('2')].sort());
    expect(recordingsOf({ ...alone, versions: [] })).toEqual([sourceOf('1')]);
  });

  it('are refused without a name of their own; a damaged one is told and changes nothing', async () => {
    const s = await follow([keep('One')]);
    await expect(follow([keep('One')], s)).rejects.toThrow('there is a version "One" already');
    await expect(follow([keep('  ')])).rejects.toThrow('name must be a text');
    await expect(follow([{ do: 'back-to', with: { name: 'Two' } }], s)).rejects.toThrow('no version "Two"');
    const damaged = { ...s, versions: [{ ...s.versions[0], song: { ...s.versions[0].song, tracks: 'all' } }] };
    await expect(follow([{ do: 'back-to', with: { name: 'One' } }], damaged as Song)).rejects.toThrow('tracks');
    // hostile ones name no recordings
    expect(
      recordingsOf({ tracks: [], versions: [{ ...s.versions[0], song: { tracks: [null, { takes: [7, {}] }] } }] }),
    ).toEqual([]);
    expect(() =>
      validatedSong({ ...JSON.parse(JSON.stringify(s)), versions: [{ id: 'a', name: '', song: {} }] }),
    ).toThrow(DocumentError);
  });

  it('of songs of before are none', () => {
    const old = JSON.parse(JSON.stringify(withoutParts(made()))) as Record<string, unknown>;
    delete old.versions;
    delete old.masterDb;
    expect(validatedSong({ ...old, version: 11 })).toMatchObject({ versions: [], masterDb: 0, version: 12 });
  });
});
