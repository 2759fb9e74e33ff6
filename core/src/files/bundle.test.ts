import { createHash } from 'node:crypto';
import { strToU8, unzipSync, zipSync, type Zippable } from 'fflate';
import { seededRandom } from '../signal/random';
import { FoundAlignment, History, historyFrom, setTrack, Song, storedHistory } from '../song';
import { song, take, track } from '../song/testing';
import { bitsOf, openBundle, writeBundle, type ByteSource, type Recording } from './bundle';

const sourceOf = (bytes: Uint8Array): ByteSource => ({
  size: bytes.length,
  read: (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length)),
});
async function written(
  ...given: Parameters<typeof writeBundle> extends [infer S, infer L, infer M, ...unknown[]] ? [S, L, M] : never
) {
  const pieces: Uint8Array[] = [];
  await writeBundle(...given, bytes => void pieces.push(bytes.slice()));
  return new Uint8Array(Buffer.concat(pieces));
}

const hash = (channels: Float32Array[]): Promise<string> => {
  const h = createHash('sha256');
  for (const c of channels) h.update(new DataView(c.buffer, c.byteOffset, c.byteLength));
  return Promise.resolve(h.digest('hex'));
};
const random = seededRandom(4);
const samples = (scale: number) =>
  Float32Array.from({ length: 5000 }, () => {
    const v = random.normal() * 0.2;
    return scale ? (Math.round(v * scale) + 0) / scale : v;
  });
const KINDS = { sixteen: [samples(2 ** 15)], wide: [samples(2 ** 23), samples(2 ** 23)], float: [samples(0)] };

async function made(): Promise<{ song: Song; recordings: Map<string, Recording>; bundle: Uint8Array }> {
  const recordings = new Map<string, Recording>();
  const takes = [];
  for (const [name, channels] of Object.entries(KINDS)) {
    const id = await hash(channels);
    recordings.set(id, { id, name: `${name}.wav`, sampleRate: 48000, channels });
    takes.push(take(name, { sourceId: id }));
  }
  const whole = song([track('lead', takes)]);
  const bundle = await written(whole, id => Promise.resolve(recordings.get(id)!), { Lead: new Uint8Array([1, 2]) });
  return { song: whole, recordings, bundle };
}
/** The bundle with some of its files changed. */
async function changed(change: (files: Zippable) => void): Promise<Uint8Array> {
  const { bundle } = await made();
  const files: Zippable = unzipSync(bundle);
  change(files);
  return zipSync(files);
}
const refusal = async (file: Uint8Array): Promise<string> => {
  try {
    const opened = await openBundle(sourceOf(file), hash);
    for (const id of opened.ids) await opened.recording(id);
    return 'opened';
  } catch (error) {
    return `${(error as Error).name}: ${(error as Error).message}`;
  }
};

test('a recording goes from bundle to bundle as it lies there, and one that is damaged does not', async () => {
  const { song: whole, bundle, recordings } = await made();
  const opened = await openBundle(sourceOf(bundle), hash);
  const again = await written(whole, id => opened.packed(id), {});
  const [was, is] = [bundle, again].map(b => unzipSync(b));
  for (const id of opened.ids) {
    const name = Object.keys(is).find(n => n.includes(id))!;
    expect(Buffer.compare(is[name], was[name])).toBe(0);
  }
  const reopened = await openBundle(sourceOf(again), hash);
  for (const [id, { name, channels }] of recordings) {
    const got = await reopened.recording(id);
    expect(got.name).toBe(name);
    expect(got.channels.map((c, i) => c.every((v, k) => v === channels[i][k]))).toEqual(channels.map(() => true));
  }
  // one byte of the first recording turned over
  const broken = bundle.slice();
  broken[3000] ^= 255;
  const damaged = await openBundle(sourceOf(broken), hash);
  await expect(damaged.packed(damaged.ids[0])).rejects.toThrow('damaged');
});

test('the fewest bits that hold samples are found', () => {
  expect(bitsOf(KINDS.sixteen)).toBe(16);
  expect(bitsOf(KINDS.wide)).toBe(24);
  expect(bitsOf(KINDS.float)).toBeNull();
  expect(bitsOf([new Float32Array([0, -0])])).toBeNull();
});

test('a song comes back whole, its samples bit for bit', async () => {
  const { song: before, recordings, bundle } = await made();
  const names = Object.keys(unzipSync(bundle)).sort();
  expect(names.filter(n => n.endsWith('.flac'))).toHaveLength(2);
  expect(names.filter(n => n.endsWith('.wav'))).toHaveLength(1);
  expect(names).toEqual(expect.arrayContaining(['essim.json', 'midi/Lead.mid', 'song.json']));
  const opened = await openBundle(sourceOf(bundle), hash);
  expect(JSON.parse(JSON.stringify(opened.song))).toEqual(JSON.parse(JSON.stringify(before)));
  for (const id of opened.ids) expect((await opened.recording(id)).channels).toEqual(recordings.get(id)!.channels);
});

test('hostile and broken bundles are refused in words', async () => {
  const text = (v: unknown) => strToU8(JSON.stringify(v));
  const audio = (files: Zippable) => Object.keys(files).find(n => n.endsWith('.flac'))!;
  const cases: [string, RegExp, (files: Zippable) => void][] = [
    ['a path that climbs out', /does not belong|damaged/, f => (f['../../evil.js'] = text(1))],
    ['a file that is none of ours', /does not belong/, f => (f['audio/readme.txt'] = text(1))],
    ['no document', /song\.json is missing/, f => delete f['song.json']],
    ['a document that is no JSON', /song\.json in it is damaged/, f => (f['song.json'] = strToU8('{'))],
    ['a document that is no song', /song\.json in it cannot be used/, f => (f['song.json'] = text({ id: 7 }))],
    ['a newer bundle', /newer Essim/, f => (f['essim.json'] = text({ format: 'essim song bundle', version: 9 }))],
    ['no manifest', /essim\.json is missing/, f => delete f['essim.json']],
    ['a manifest of something else', /essim\.json in it cannot be used/, f => (f['essim.json'] = text([]))],
    ['a recording missing', /is missing in it/, f => delete f[audio(f)]],
    ['a recording cut short', /damaged/, f => (f[audio(f)] = (f[audio(f)] as Uint8Array).slice(0, 900))],
    ['a recording that is none', /damaged/, f => (f[audio(f)] = new Uint8Array(3000))],
    ['a bomb', /far too large/, f => (f['midi/x.mid'] = new Uint8Array(65 * 2 ** 20))],
  ];
  for (const [what, said, change] of cases)
    expect([what, await refusal(await changed(change))]).toEqual([what, expect.stringMatching(said)]);
  expect(await refusal(strToU8('RIFF not a zip'))).toMatch('not a song bundle');
  expect(await refusal(strToU8('PK\u0003\u0004 and then nothing'))).toMatch(/damaged|missing/);
});

test('another recording under a known name is found out', async () => {
  const { bundle, recordings } = await made();
  const other = await written(
    song([track('lead', [take('a', { sourceId: [...recordings.keys()][0] })])]),
    id => Promise.resolve({ id, name: 'false.wav', sampleRate: 48000, channels: [samples(2 ** 15)] }),
    {},
  );
  expect(await refusal(other)).toMatch('damaged');
  expect(await refusal(bundle)).toBe('opened');
});

test('what aligning found is kept beside the document and comes back with it', async () => {
  const { recordings } = await made();
  const found = Object.assign(new FoundAlignment(), {
    stamp: 'x',
    points: [0, 0, 1, 0.9, 9, 8.9],
    apart: [{ start: 5, end: 6 }],
    rests: [],
    confidence: 0.8,
  });
  const [id] = recordings.keys();
  const lead = track('lead', [take('l', { sourceId: id })]);
  const double = track('double', [take('d', { sourceId: id })], { followsId: 'lead', found });
  const bundle = await written(song([lead, double]), i => Promise.resolve(recordings.get(i)!), {});
  const files = unzipSync(bundle);
  expect(Object.keys(files).some(n => /^alignments\/[0-9a-f]{32}\.json$/.test(n))).toBe(true);
  expect(new TextDecoder().decode(files['song.json'])).not.toContain('points');
  const opened = await openBundle(sourceOf(bundle), hash);
  expect(opened.song.tracks[1].found).toMatchObject({ points: found.points, apart: found.apart });
});

test('a bundle is read where it is looked at, not as a whole', async () => {
  const channels = [Float32Array.from({ length: 200000 }, () => random.normal() * 0.2)];
  const id = await hash(channels);
  const long = { id, name: 'long.wav', sampleRate: 48000, channels };
  const bundle = await written(song([track('lead', [take('l', { sourceId: id })])]), () => Promise.resolve(long), {});
  let most = 0;
  const source: ByteSource = {
    size: bundle.length,
    read: (offset, length) => {
      most = Math.max(most, length);
      return Promise.resolve(bundle.subarray(offset, offset + length));
    },
  };
  const opened = await openBundle(source, hash);
  await opened.recording(opened.ids[0]);
  expect(most).toBeLessThan(bundle.length / 2);
});

describe('an undo history that goes along', () => {
  async function worked(): Promise<{ history: History; recordings: Map<string, Recording> }> {
    const { song: whole, recordings } = await made();
    const gone = setTrack('lead', { takes: whole.tracks[0].takes.slice(0, -1) });
    let history = new History(whole);
    history = history.to('Rename the track', setTrack('lead', { name: 'Quayside' })(whole))!.history;
    // the recording of a take that was removed is needed by the history alone
    history = history.to('Remove a take', gone(history.song))!.history;
    history = history.to('Turn it up', setTrack('lead', { levelDb: 3 })(history.song))!.history;
    return { history: history.undo()!.history, recordings };
  }
  async function packed(): Promise<Uint8Array> {
    const { history, recordings } = await worked();
    const pieces: Uint8Array[] = [];
    await writeBundle(
      history.song,
      id => Promise.resolve(recordings.get(id)!),
      {},
      bytes => void pieces.push(bytes.slice()),
      () => {},
      storedHistory(history),
    );
    return new Uint8Array(Buffer.concat(pieces));
  }

  it('is there again to its first step, with the recordings it needs, and what was undone can be redone', async () => {
    const opened = await openBundle(sourceOf(await packed()), hash);
    expect(opened.unusable).toBeNull();
    expect(opened.ids).toHaveLength(3);
    for (const id of opened.ids) await opened.recording(id);
    let history = historyFrom(opened.song, opened.history);
    expect([history.entries.length, history.cursor]).toEqual([3, 2]);
    expect(history.redo()!.history.song.tracks[0].levelDb).toBe(3);
    while (history.canUndo) history = history.undo()!.history;
    expect(history.song.tracks[0]).toMatchObject({ name: 'lead' });
    expect(history.song.tracks[0].takes).toHaveLength(3);
  });

  it('says its version only where there is one, so that older programs open the others', async () => {
    const told = (bytes: Uint8Array) =>
      (JSON.parse(Buffer.from(unzipSync(bytes)['essim.json']).toString()) as { version: number }).version;
    expect(told(await packed())).toBe(3);
    expect(told((await made()).bundle)).toBe(2);
  });

  it('that is damaged, or another song’s, is left out and the song is whole', async () => {
    const with_ = async (past: unknown) => {
      const files: Zippable = unzipSync(await packed());
      files['history.json'] = strToU8(typeof past === 'string' ? past : JSON.stringify(past));
      return openBundle(sourceOf(zipSync(files)), hash);
    };
    const step = (changes: unknown) => ({ label: 'x', kind: null, time: 1, step: changes, inverse: changes });
    for (const past of [
      '{',
      'null',
      {},
      { cursor: 7, entries: [] },
      { cursor: 1, entries: [{}] },
      { cursor: 1, entries: [step([{ at: ['tracks', 'nobody'], set: { name: 'x' } }])] },
      { cursor: 1, entries: [step([{ at: ['tracks', 'lead'], set: { levelDb: 1e9 } }])] },
    ]) {
      const opened = await with_(past);
      expect(opened.history).toBeNull();
      expect(opened.unusable).toEqual(expect.any(String));
      expect(opened.song.tracks[0].name).toBe('Quayside');
    }
  });
});
