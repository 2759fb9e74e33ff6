import fc from 'fast-check';
import { clipGain, clipsOf, clipSamples, clipsToLookAt, composeClips, moveJoin, pickSpan, takeAt } from './comp';
import { circles, Segment, Song, Take, Track } from './document';

const take = (id: string, offsetSeconds = 0) =>
  Object.assign(new Take(), { id, name: id, sourceId: 'a'.repeat(64), offsetSeconds });
const seg = (at: number, takeId: string, more: Partial<Segment> = {}): Segment => ({ at, takeId, fadeMs: 12, ...more });
const track = (segments: Segment[]) =>
  Object.assign(new Track(), {
    id: 't',
    name: 'Lead',
    role: 'lead',
    takes: [take('a'), take('b', 2), take('c')],
    segments,
  });

const spans = fc.array(
  fc.record({ from: fc.nat(300), length: fc.integer({ min: 1, max: 200 }), takeId: fc.constantFrom('a', 'b', 'c') }),
  { maxLength: 12 },
);

describe('a comp', () => {
  it('always runs from the start, in order, without equal neighbours; what was picked last is what sounds', () => {
    fc.assert(
      fc.property(spans, list => {
        let segments = [seg(0, 'a')];
        const expected = Array.from({ length: 600 }, () => 'a');
        for (const s of list) {
          segments = pickSpan(segments, s.from, s.from + s.length, { takeId: s.takeId });
          expected.fill(s.takeId, s.from, s.from + s.length);
        }
        expect(segments[0].at).toBe(0);
        const [earlier, later] = [segments.slice(0, -1), segments.slice(1)];
        expect(later.every((g, i) => g.at > earlier[i].at && g.takeId !== earlier[i].takeId)).toBe(true);
        const t = track(segments);
        expect(expected.map((_, k) => takeAt(t, k + 0.5)!.id)).toEqual(expected);
      }),
    );
  });

  it('refuses an empty span and goes on to the end when asked', () => {
    expect(() => pickSpan([seg(0, 'a')], 3, 3, { takeId: 'b' })).toThrow(RangeError);
    expect(pickSpan([seg(0, 'a')], 3, Infinity, { takeId: 'b' }).map(g => g.at)).toEqual([0, 3]);
  });

  it('never sounds more than two clips at once, however short they are and however long their fades', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ ms: fc.integer({ min: 5, max: 700 }), fadeMs: fc.nat(500) }), {
          minLength: 1,
          maxLength: 6,
        }),
        list => {
          let at = 0;
          const segments = list.map(({ ms, fadeMs }, i) => {
            const g = seg(at, i % 2 ? 'a' : 'c', { fadeMs });
            at += ms / 1000;
            return g;
          });
          let most = 0;
          const ends = clipsOf(track(segments)).map(c => clipSamples(c, 8000));
          for (let i = 0; i < (at + 0.5) * 8000; i += 40) {
            const power = ends.reduce((sum, e) => sum + clipGain(e, i) ** 2, 0);
            most = Math.max(most, Math.abs(power - 1));
          }
          expect(most).toBeLessThan(0.02);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('keeps a join between its neighbours', () => {
    const segments = [seg(0, 'a'), seg(5, 'b'), seg(9, 'c')];
    expect(moveJoin(segments, 1, 7)[1].at).toBe(7);
    expect(moveJoin(segments, 1, 99)[1].at).toBeCloseTo(8.98, 9);
    expect(moveJoin(segments, 1, -1)[1].at).toBeCloseTo(0.02, 9);
    expect(moveJoin(segments, 0, 3)).toEqual(segments);
  });

  it('makes one clip of neighbours that run on in the same take, and knows each take’s offset', () => {
    const clips = clipsOf(track([seg(0, 'a'), seg(4, 'b'), seg(6, 'b'), seg(8, 'b', { shiftSeconds: 5 })]));
    expect(clips.map(c => [c.takeId, c.from, c.to, c.shift])).toEqual([
      ['a', 0, 4, 0],
      ['b', 4, 8, 2],
      ['b', 8, Infinity, 5],
    ]);
    expect(clips[0]).toMatchObject({ fadeIn: 0, fadeOut: 0.012 });
  });
});

describe('joining recordings', () => {
  const RATE = 1000;
  const ramp = (from: number) => Float32Array.from({ length: 10000 }, (_, i) => from + i / 1e5);
  const sources = new Map([
    ['a', [ramp(0.1)]],
    ['b', [ramp(0.5), ramp(0.6)]],
  ]);

  it('copies what no join touches bit for bit, each take by its own offset', () => {
    const clips = clipsOf(track([seg(0, 'a'), seg(4, 'b', { fadeMs: 100 })]));
    const [left, right] = composeClips(clips, sources, RATE, 9000);
    expect(left.slice(0, 3950)).toEqual(sources.get('a')![0].slice(0, 3950));
    expect(right.slice(4050, 9000)).toEqual(sources.get('b')![1].slice(2050, 7000));
    expect(left[3950]).toBeCloseTo(0.1395, 2);
  });

  it('keeps the power of two unlike voices constant over the join', () => {
    const clips = clipsOf(track([seg(0, 'a'), seg(4, 'b', { fadeMs: 200 })])).map(c => clipSamples(c, RATE));
    for (let i = 3800; i < 4200; i++) expect(clipGain(clips[0], i) ** 2 + clipGain(clips[1], i) ** 2).toBeCloseTo(1, 9);
  });

  it('is silent where a take has nothing, and louder by the level of a borrowed word', () => {
    const clips = clipsOf(track([seg(0, 'b', { levelDb: 6 })]));
    const [left] = composeClips(clips, sources, RATE, 20000);
    expect(left.subarray(0, 2000).every(v => v === 0)).toBe(true);
    expect(left[3000] / 0.51).toBeCloseTo(10 ** 0.3, 3);
    expect(left.subarray(12000).every(v => v === 0)).toBe(true);
  });

  it('that is one whole take is looked at without a copy; any other is composed', () => {
    const x = Float32Array.from({ length: 9000 }, (_, i) => Math.sin(i));
    const whole = { takeId: 'a', from: 0, to: Infinity, shift: 0, fadeIn: 0, fadeOut: 0, levelDb: 0 };
    const looked = (clips: (typeof whole)[], length = 9000) =>
      clipsToLookAt(clips, new Map([['a', [x]]]), 1000, length)[0];
    expect(looked([whole])).toBe(x);
    for (const other of [{ shift: 0.5 }, { levelDb: -3 }, { from: 1 }, { to: 5, fadeOut: 0.2 }]) {
      const clip = { ...whole, ...other };
      expect(looked([clip])).not.toBe(x);
      expect(looked([clip])).toEqual(composeClips([clip], new Map([['a', [x]]]), 1000, 9000)[0]);
    }
    expect(looked([whole], 9500)).toHaveLength(9500);
  });
});

describe('stacks', () => {
  it('see a circle of followers, however long', () => {
    const song = Object.assign(new Song(), {
      tracks: ['a', 'b', 'c'].map((id, i, all) => Object.assign(new Track(), { id, followsId: all[i + 1] ?? null })),
    });
    expect(circles(song, 'c', 'a')).toBe(true);
    expect(circles(song, 'a', 'a')).toBe(true);
    expect(circles(song, 'a', 'c')).toBe(false);
    expect(circles(song, 'd', 'a')).toBe(false);
  });
});
