import { floatsOf, asCompared, mixDown, readWav, stretchesOf, type EditReport } from '@essim/core';
import { singPhrases } from '@essim/demo';
import { unzipSync } from 'fflate';
import { nudge } from '../commands/moving';
import { downloads, now, settleAll, settled, song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import { openBundleFile, saveBundle, stopBundling, useBundling } from './bundles';
import { db } from '../keeping/db';
import {
  deliver,
  measure,
  soundsAlike,
  stopDelivering,
  useDelivering,
  useMeasured,
  type DeliveryKind,
} from './delivering';
import { bounceTrack, reopenBounce } from './bouncing';
import { comparedTrack, renderedTrack } from './rendering';
import { writeReport } from './writing';
import { addPart } from '../commands/parts';
import { act, closeSong, editTrack, openSong, useSession, written } from '../open-song';
import { addSong, listSongs } from '../keeping/songs';
import { keepSource } from '../keeping/sources';
import { clientOf, trackOf } from '../open-song/state';
import { setTrack } from '../commands/tracks';

/** What leaves the program, through its workers and its database. */

const s = useSession.getState;
/** The beginning, on the steps of 24 bits, as a file brings it. */
const onSteps = (x: Float32Array) => x.slice(0, 4.5 * 48000).map(v => (Math.round(v * 2 ** 23) || 0) / 2 ** 23);
const lead = onSteps(singPhrases([0], { seed: 3 }).samples);
const double = onSteps(singPhrases([0], { seed: 8 }).samples);
const piano = [110, 165].map(hz =>
  onSteps(Float32Array.from({ length: 60000 }, (_, i) => 0.1 * Math.sin((2 * Math.PI * hz * i) / 48000))),
);
const LENGTH = Math.max(lead.length, double.length + 24000);
let saved: ReturnType<typeof downloads>;
let original: ReturnType<typeof song>;

// packing is slow here
jest.setTimeout(30000);
beforeAll(async () => {
  allowWorkers();
  saved = downloads();
  const [l, d, p] = [
    await keepSource('lead.wav', 48000, [lead]),
    await keepSource('double.wav', 48000, [double]),
    await keepSource('piano.wav', 48000, piano),
  ];
  original = song(
    [
      track('Lead', [take('l', { sourceId: l })]),
      track('Double', [take('d', { sourceId: d, offsetSeconds: 0.5 })], {
        role: 'double',
        followsId: 'Lead',
        pan: -0.4,
      }),
      track('Piano', [take('p', { sourceId: p })], { role: 'backing', levelDb: -6 }),
    ],
    { key: { tonic: 2, mode: 'major' } },
  );
});
beforeEach(async () => {
  saved.length = 0;
  await addSong(original);
  await openSong('quay');
  await settled(() => ['l', 'd'].every(id => s().takes[id]?.status === 'ready'));
});
afterEach(async () => {
  closeSong();
  await written();
});

const delivered = async (kind: DeliveryKind, fields: Partial<Parameters<typeof deliver>[0]> = {}) => {
  await deliver({ kind, format: 'float32', asMixed: true, ...fields });
  await settled(() => saved.length > 0);
  return saved.shift()!;
};
const stemsOf = (bytes: Uint8Array) =>
  new Map(Object.entries(unzipSync(bytes)).map(([name, wav]) => [name, readWav(wav).channels]));
const farthest = (x: Float32Array, from: (v: number, i: number) => number) =>
  x.reduce((most, v, i) => Math.max(most, Math.abs(from(v, i))), 0);
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => v === b[i]);

describe('delivery', () => {
  it('of a track nobody edited is the recording, bit for bit, in place', async () => {
    editTrack('Double');
    const { name, bytes } = await delivered('track', { format: 'int24', asMixed: false });
    expect(name).toBe('Quay Double.wav');
    const { channels, format } = readWav(bytes);
    expect(format).toBe('int24');
    expect(channels).toHaveLength(1);
    expect(channels[0]).toHaveLength(LENGTH);
    expect(same(channels[0].subarray(24000, 24000 + double.length), double)).toBe(true);
    expect(channels[0].subarray(0, 24000).every(v => v === 0)).toBe(true);
  });

  it('of stems holds each track as edited, equally long, and they add up to the mix', async () => {
    settleAll();
    const stems = stemsOf((await delivered('stems')).bytes);
    expect([...stems.keys()]).toEqual(['Lead.wav', 'Double.wav', 'Piano.wav']);
    for (const channels of stems.values()) expect(channels[0]).toHaveLength(LENGTH);
    const [sung] = await clientOf('l')!.render(trackOf(s(), 'Lead')!.takes[0].edits);
    expect(same(sung, lead)).toBe(false);
    const [out] = stems.get('Lead.wav')!;
    // a track in the middle keeps its level, or has that of equal power: the same everywhere
    const gain = out[40000] / sung[40000];
    expect([1, Math.SQRT1_2].some(g => Math.abs(gain - g) < 1e-5)).toBe(true);
    expect(farthest(sung, (v, i) => out[i] - v * gain)).toBeLessThan(1e-6);
    const mix = readWav((await delivered('mix')).bytes).channels;
    const of = (x: Float32Array[], c: number) => x[Math.min(c, x.length - 1)];
    mix.forEach((y, c) =>
      expect(farthest(y, (v, i) => v - [...stems.values()].reduce((sum, x) => sum + of(x, c)[i], 0))).toBeLessThan(
        1e-6,
      ),
    );
  });

  it('leaves muted tracks out, and says when nothing is left', async () => {
    setTrack('mute', trackOf(s(), 'Piano')!, { mute: true });
    expect([...stemsOf((await delivered('stems')).bytes).keys()]).toEqual(['Lead.wav', 'Double.wav']);
    for (const id of ['Lead', 'Double']) setTrack('mute', trackOf(s(), id)!, { mute: true });
    await deliver({ kind: 'mix', format: 'int24', asMixed: true });
    expect(useDelivering.getState()).toBeNull();
    expect(saved).toEqual([]);
  });

  it('stopped half-way writes nothing, and can begin again', async () => {
    const seen: string[] = [];
    const unwatch = useDelivering.subscribe(at => {
      if (!at) return;
      seen.push(at.name);
      if (at.name === 'Double') stopDelivering();
    });
    await deliver({ kind: 'stems', format: 'int16', asMixed: true });
    unwatch();
    expect(seen).toEqual(['Lead', 'Lead', 'Double']);
    expect(useDelivering.getState()).toBeNull();
    expect(saved).toEqual([]);
    expect((await delivered('mix')).name).toBe('Quay mix.wav');
  });

  it('waits for no voice: one that is still read is named instead', async () => {
    const { takes, views } = s();
    useSession.setState({
      takes: { ...takes, d: { ...takes.d!, status: 'reading' } },
      views: { ...views, Double: { ...views.Double, status: 'reading' } },
    });
    await deliver({ kind: 'stems', format: 'int24', asMixed: true });
    expect(saved).toEqual([]);
    useSession.setState({ takes, views });
  });
});

describe('a bundle', () => {
  const bundled = async () => {
    await saveBundle();
    await settled(() => saved.length > 0);
    const { name, bytes } = saved.shift()!;
    return new File([bytes as Uint8Array<ArrayBuffer>], name);
  };

  it('opened where nothing is kept has the same document and the very same stems', async () => {
    settleAll();
    addPart({ by: 'steps', amount: 2 });
    const part = now().tracks[1];
    await settled(() => s().takes[part.takes[0].id]?.status === 'ready' && s().views[part.id].line.length > 0);
    nudge(1, 'step');
    const stems = stemsOf((await delivered('stems')).bytes);
    const before = now();
    const file = await bundled();
    expect(file.name).toBe('Quay.essim');
    closeSong();
    await written();
    await Promise.all([
      db.sources.clear(),
      db.facts.clear(),
      db.readings.clear(),
      db.songs.clear(),
      db.journal.clear(),
    ]);
    const id = await openBundleFile(file);
    expect(id).not.toBeNull();
    await openSong(id!);
    await settled(() =>
      now()
        .tracks.filter(t => t.role !== 'backing')
        .every(t => t.takes.every(k => s().takes[k.id]?.status === 'ready')),
    );
    expect({ ...now(), id: before.id }).toEqual(before);
    const again = stemsOf((await delivered('stems')).bytes);
    expect([...again.keys()]).toEqual([...stems.keys()]);
    for (const [name, channels] of stems)
      channels.forEach((x, c) => expect([name, same(x, again.get(name)![c])]).toEqual([name, true]));
  });

  it('that is broken is refused in words, and nothing of it is kept', async () => {
    const count = async () => [await db.sources.count(), (await listSongs()).length];
    const before = await count();
    const whole = new Uint8Array(await (await bundled()).arrayBuffer());
    expect(await openBundleFile(new File([whole.slice(0, whole.length - 400)], 'cut.essim'))).toBeNull();
    expect(await openBundleFile(new File(['not a bundle'], 'letter.essim'))).toBeNull();
    expect(await count()).toEqual(before);
    expect(useBundling.getState()).toBeNull();
  });

  it('is stopped while it is packed, and nothing is written', async () => {
    const unwatch = useBundling.subscribe(at => {
      if (at) stopBundling();
    });
    await saveBundle();
    unwatch();
    expect(saved).toEqual([]);
    expect((await bundled()).size).toBeGreaterThan(1000);
  });
});

describe('a bounce', () => {
  it('is what the track sounds like as edited, to the sample, and the original opens again', async () => {
    settleAll();
    nudge(1, 'step');
    const dry = async (name: string) => {
      editTrack(now().tracks.find(t => t.name === name)!.id);
      return soundOf(await delivered('track', { asMixed: false }));
    };
    const before = await dry('Lead');
    expect(bounceTrack(now().tracks[0])).toBe(true);
    await settled(() => now().tracks.length === 4);
    const made = now().tracks[1];
    expect(made).toMatchObject({ name: 'Lead bounced', bouncedFromId: now().tracks[0].id, mute: false });
    expect(now().tracks[0].mute).toBe(true);
    await settled(() => s().takes[made.takes[0].id]?.status === 'ready');
    expect(same(await dry('Lead bounced'), before)).toBe(true);
    expect(await db.facts.get(made.takes[0].sourceId)).toBeDefined();
    expect(reopenBounce(now().tracks[1])).toBe(true);
    expect(now().tracks.map(t => t.mute)).toEqual([false, true, false, false]);
  });
});
const soundOf = ({ bytes }: { bytes: Uint8Array }): Float32Array => readWav(bytes).channels[0];

describe('before anything is written', () => {
  it('for comparing is one channel of the same length at a lower rate, of a track nobody edited too', async () => {
    const { tracks } = s().history!.song;
    for (const one of [tracks[1], tracks[2]]) {
      const [whole, low] = [await renderedTrack(one), await comparedTrack(one)];
      expect(low.sampleRate).toBe(12000);
      expect(low.clips).toEqual(whole.clips);
      expect(Math.abs(4 * low.length - whole.length)).toBeLessThan(8);
      const [[, channels]] = low.sources;
      const mono = mixDown(whole.sources[0][1].map(c => floatsOf(c)));
      expect(channels).toEqual([asCompared(stretchesOf(mono), 48000)]);
    }
  });

  it('loudness and true peak of the mix and every stem are measured; a change of the mix makes them old', async () => {
    expect(await measure({ format: 'int24', asMixed: true })).toBe(true);
    expect(saved).toHaveLength(0);
    const measured = useMeasured.getState()!;
    expect(measured.files.map(f => f.name)).toEqual([
      'Lead.wav',
      'Double.wav',
      'Piano.wav',
      expect.stringContaining('mix.wav'),
    ]);
    for (const f of measured.files) {
      expect(f.integratedLufs).toBeGreaterThan(-60);
      expect(f.truePeakDb).toBeGreaterThanOrEqual(f.peakDb - 0.01);
      expect(f.shortTermLufs).toBeGreaterThanOrEqual(f.integratedLufs - 6);
    }
    expect(soundsAlike(measured.of, now())).toBe(true);
    act('master', { levelDb: -6 });
    expect(soundsAlike(measured.of, now())).toBe(false);
    await measure({ format: 'int24', asMixed: true });
    const again = useMeasured.getState()!;
    expect(again.files[3].integratedLufs).toBeCloseTo(measured.files[3].integratedLufs - 6, 1);
  });

  it('a report of what was done is a page, a table and data', async () => {
    settleAll();
    nudge(1, 'step');
    await writeReport({ format: 'int24', asMixed: true });
    await settled(() => saved.length > 0);
    const files = unzipSync(saved[0].bytes);
    expect(Object.keys(files)).toEqual(['report.html', 'report.csv', 'report.json']);
    const report = JSON.parse(new TextDecoder().decode(files['report.json'])) as EditReport;
    expect(report.files).toHaveLength(4);
    expect(report.phrases.filter(p => p.track === 'Lead').reduce((n, p) => n + p.changed, 0)).toBeGreaterThan(0);
    expect(report.phrases.filter(p => p.track === 'Double').every(p => p.changed === 0)).toBe(true);
  });

  it('FLAC takes no float, and names follow a pattern', async () => {
    await deliver({ kind: 'mix', format: 'float32', container: 'flac', asMixed: true });
    expect(saved).toHaveLength(0);
    const { bytes } = await delivered('stems', {
      format: 'int16',
      container: 'flac',
      pattern: '{number} {song} {track}',
    });
    const names = Object.keys(unzipSync(bytes));
    expect(names[0]).toMatch(/^01 .* Lead\.flac$/);
    expect(names).toHaveLength(3);
  });
});
