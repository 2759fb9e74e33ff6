import {
  counterpartsOf,
  editReport,
  editReportCsv,
  editReportHtml,
  Score,
  shownSong,
  stackReport,
  syllablesOfTake,
  type TakeView,
} from '../score';
import { heardView, readingOf, song, take, track } from '../score/testing';
import { AlignRule, FoundAlignment, type Song } from '../song';
import { followed, type WrittenStep } from './testing';

/** One note sung, three syllables spoken, one note sung. @param late how much later the syllables come, s */
function view(late: number): TakeView {
  const line = new Float32Array(1000).fill(NaN);
  line.fill(60, 20, 180);
  line.fill(62, 700, 860);
  const reading = readingOf(line, [
    [0.1, 0.9],
    [3.5, 4.3],
  ]);
  reading.vowelsDb = new Float32Array(1000).fill(-90);
  reading.spoken = [{ start: 1.2 + late, end: 2.4 + late }];
  for (const start of SYLLABLES)
    for (let k = Math.round((start + late) * 200); k < Math.round((start + late + LENGTH) * 200); k++) {
      const u = (k / 200 - start - late) / LENGTH;
      reading.f0[k] = 150;
      reading.vowelsDb[k] = -20 - 14 * (2 * u - 1) ** 2;
    }
  return heardView(reading, take('x'));
}
const SYLLABLES = [1.2, 1.6, 2];
const LENGTH = 0.3;
const LATE = 0.08;
const takes = { l: view(0), d: view(LATE) };
const points = [0.1, 0.1, 0.9, 0.9, ...SYLLABLES.flatMap(s => [s + LATE, s, s + LATE + LENGTH, s + LENGTH]), 3.5, 3.5];
const found = Object.assign(new FoundAlignment(), { stamp: 'x', points, apart: [], rests: [], confidence: 1 });
const made = (closeness: number): Song =>
  song([
    track('Lead', [take('l')]),
    track('Double', [take('d')], {
      role: 'double',
      followsId: 'Lead',
      align: Object.assign(new AlignRule(), { closeness }),
      found,
    }),
  ]);
const scored = (s: Song) => new Score(s, takes);
const spokenOf = (s: Song, name: string) =>
  scored(s)
    .view(name)
    .syllables.filter(n => n.spoken);
const follow = (steps: WrittenStep[], s = made(0)) => followed(s, steps, takes);
const on = { tracks: 'Lead', span: [1.15, 1.55] };

describe('what is spoken', () => {
  it('has syllables beside the notes, in order', () => {
    const { syllables, notes } = scored(made(0)).view('Lead');
    expect(notes).toHaveLength(2);
    expect(syllables.map(n => n.spoken)).toEqual([false, true, true, true, false]);
    SYLLABLES.forEach((s, i) => expect(syllables[i + 1].start).toBeCloseTo(s, 1));
  });

  it('is early or late beside its lead, and comes to it as closely as is asked', () => {
    const offsets = (s: Song) => counterpartsOf(scored(s), s.tracks[1])!.offsets.slice(1, 4);
    for (const o of offsets(made(0))) expect(o.now).toBeCloseTo(LATE, 2);
    for (const o of offsets(made(100))) {
      expect(o.sung).toBeCloseTo(LATE, 2);
      expect(o.now).toBeCloseTo(0, 2);
    }
    const rows = stackReport(scored(made(0)), [made(0).tracks[1]]);
    expect(rows).toHaveLength(5);
    expect(rows[0].msAfter).toBeCloseTo(80, -1);
    expect(rows[0].centsAfter).toBeNull();
    expect(shownSong(scored(made(0)), made(0).tracks).tracks[1].spoken[0].offsetMs).toBeCloseTo(80, -1);
  });

  it('is moved in time like a note, and pulled to the lead’s', async () => {
    const s = await follow([{ do: 'nudge', on, with: { ms: 50 } }]);
    const [first, second] = spokenOf(s, 'Lead');
    expect(first.start).toBeCloseTo(SYLLABLES[0] + 0.05, 2);
    expect(second.start).toBeCloseTo(SYLLABLES[1], 2);
    const pulled = await follow([{ do: 'pull', on: { tracks: 'Double' }, with: { what: 'borders' } }]);
    spokenOf(pulled, 'Double').forEach((n, i) => expect(n.start).toBeCloseTo(SYLLABLES[i], 1));
  });

  it('is weighed like a note: turned down, muted, back as it was', async () => {
    const turned = await follow([{ do: 'level', on, with: { startDb: -6, middleDb: -6, endDb: -6 } }]);
    const [edit] = Object.values(turned.tracks[0].takes[0].edits);
    expect(edit.middleDb).toBe(-6);
    const { edits } = scored(turned).view('Lead');
    expect(edits[spokenOf(turned, 'Lead')[0].key]?.middleDb).toBe(-6);
    // the client is told of them like of notes, but for a pitch
    const moved = await follow([{ do: 'nudge', on, with: { ms: 40 } }], turned);
    const report = editReport(scored(moved));
    const changes = report.phrases.filter(p => p.track === 'Lead').flatMap(p => p.changes);
    expect(changes).toHaveLength(1);
    expect(changes[0]).toMatchObject({ sung: null, now: null, cents: 0, ms: 40 });
    expect(editReportCsv(report)).toMatch(/,1\.2\d\d,,,0,40,/);
    expect(editReportHtml(scored(moved), report)).toContain('<td>spoken</td><td></td>');
    expect(Object.keys(edits)).toHaveLength(1);
    const muted = await follow([{ do: 'mute', on }], turned);
    expect(Object.values(muted.tracks[0].takes[0].edits)[0]).toMatchObject({ silent: 'muted', middleDb: -6 });
    const back = await follow([{ do: 'as-sung', on }], muted);
    expect(back.tracks[0].takes[0].edits).toEqual({});
  });

  it('is never pitched', async () => {
    await expect(follow([{ do: 'place', on, with: { pitch: 64 } }])).rejects.toThrow('there are no notes');
    const settled = await follow([{ do: 'settle', on: { tracks: 'Lead' } }]);
    expect(Object.values(settled.tracks[0].takes[0].edits)).toHaveLength(2);
  });

  it('takes its words in turn', () => {
    const all = syllablesOfTake(takes.l);
    expect(all).toHaveLength(5);
    expect(all[1].start).toBeCloseTo(SYLLABLES[0], 1);
    expect(all[4].start).toBeCloseTo(3.5, 3);
  });
});
