import { PhraseMark, Remark, type Song } from '../song';
import { followed } from '../intents/testing';
import { editReport, editReportCsv } from './edit-report';
import { editReportHtml } from './edit-report-page';
import { Score } from './score';
import { readingOf, heardView, song, take, track } from './testing';

/** Two phrases of two notes, each a fifth of a semitone flat. */
const view = () => {
  const line = new Float32Array(200 * 8).fill(NaN);
  [0, 1, 4, 5].forEach(i => line.fill(59.8, 200 * i + 4, 200 * i + 184));
  return heardView(
    readingOf(
      line,
      [0, 1, 4, 5].map(i => [i + 0.02, i + 0.92]),
    ),
    take('l'),
  );
};
const remark = (fields: Partial<Remark>) => Object.assign(new Remark(), { id: 'r', from: 'client', text: 'x' }, fields);
const start = (): Song =>
  song(
    [
      track('<Lead>', [take('l')], {
        phrases: [
          Object.assign(new PhraseMark(), {
            id: 'p',
            start: 0,
            end: 2.2,
            name: 'a <lamp>',
            checked: true,
            remarks: [
              remark({ id: 'r1', text: '=HYPERLINK("x") <script>alert(1)</script>', author: 'Ash', done: true }),
            ],
          }),
          Object.assign(new PhraseMark(), {
            id: 'q',
            start: 4,
            end: 6.2,
            name: '',
            remarks: [remark({ id: 'r2', text: 'too low' })],
          }),
        ],
      }),
      track('Piano', [take('p')], { role: 'backing' }),
    ],
    { name: 'Ferry & Lamp', key: { tonic: 0, mode: 'major' } },
  );
const files = [{ name: 'mix.wav', integratedLufs: -18.234, shortTermLufs: -12.1, truePeakDb: -Infinity }];

async function report() {
  const takes = { l: view(), p: view() };
  const s = await followed(
    start(),
    [{ do: 'move', on: { tracks: '<Lead>', notes: { between: [0, 2] } }, with: { semitones: 1 } }],
    takes,
  );
  // what is heard of the first phrase lies a semitone over what was sung
  const line = takes.l.sungLine.map((v, k) => (k < 400 ? v + 1 : v));
  const score = new Score(s, { ...takes, l: { ...takes.l, line } });
  return { score, report: editReport(score, files) };
}

describe('the edit report', () => {
  it('tells of each phrase what was changed, by how much, and by whom it was asked', async () => {
    const { report: r } = await report();
    expect(r).toMatchObject({ song: 'Ferry & Lamp', key: 'C major' });
    expect(r.files[0]).toEqual({ name: 'mix.wav', integratedLufs: -18.23, shortTermLufs: -12.1, truePeakDb: -120 });
    expect(r.phrases.map(p => [p.track, p.number, p.notes, p.changed, p.checked])).toEqual([
      ['<Lead>', 1, 2, 2, true],
      ['<Lead>', 2, 2, 0, false],
    ]);
    expect(r.phrases[0].meanCents).toBeCloseTo(100, 0);
    expect(r.phrases[0].changes[0]).toMatchObject({ cents: 100, ms: 0, db: 0 });
    expect(r.phrases[0].remarks).toEqual([
      { from: 'client', author: 'Ash', text: '=HYPERLINK("x") <script>alert(1)</script>', done: true },
    ]);
    expect(JSON.parse(JSON.stringify(r))).toEqual(r);
  });

  it('as a page holds pictures and no markup of names or remarks, and may load nothing', async () => {
    const { score, report: r } = await report();
    const page = editReportHtml(score, r);
    expect(page.match(/<svg /g)).toHaveLength(2);
    expect(page).not.toContain('<script');
    expect(page).not.toContain('<lamp>');
    expect(page).toContain('&lt;script&gt;alert(1)');
    expect(page).toContain("default-src 'none'");
    expect(page).toContain('1 of 2 remarks done');
    expect(page).toMatch(/☑ =HYPERLINK/);
    expect(page).toContain('class="sung" d="M');
  });

  it('as a table has a row a change, a row for a remark alone, and no formula', async () => {
    const rows = editReportCsv((await report()).report)
      .trim()
      .split('\r\n');
    expect(rows).toHaveLength(4);
    expect(rows[0].split(',')).toHaveLength(12);
    expect(rows[1]).toContain('done: =HYPERLINK');
    expect(rows[1].endsWith('"=')).toBe(false);
    expect(rows[3]).toContain('too low');
  });
});
