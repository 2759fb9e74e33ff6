import { XMLParser } from 'fast-xml-parser';
import { BarGrid, type TempoMap } from '../music';
import { spelled, writeMusicXml } from './musicxml';
import type { WrittenNote, WrittenSong } from './written';

const TEMPO: TempoMap = {
  bpm: 120,
  beatsPerBar: 4,
  firstBarSeconds: 1,
  changes: [],
  metres: [{ bar: 3, beatsPerBar: 3 }],
};
const grid = new BarGrid(TEMPO);
const note = (beat: number, length: number, midi: number, word: string | null = null): WrittenNote => ({
  start: grid.secondsAt(beat) + 0.012,
  end: grid.secondsAt(beat + length) - 0.03,
  midi,
  word,
  velocity: 0.7,
  bend: [],
});
const made = (notes: WrittenNote[], more: Partial<WrittenSong> = {}): WrittenSong => ({
  name: 'Ferry & Lamp',
  tempo: TEMPO,
  key: { tonic: 2, mode: 'major' },
  chords: [
    { start: grid.secondsAt(0), name: 'D' },
    { start: grid.secondsAt(2), name: 'F#m7/A' },
    { start: grid.secondsAt(4), name: 'Bbmaj7' },
  ],
  parts: [{ name: 'Lead', notes }],
  ...more,
});

/** What may follow what in these elements, after the published schema (MusicXML 4.0). */
const ORDER: Record<string, readonly string[]> = {
  'score-partwise': ['work', 'identification', 'part-list', 'part'],
  note: ['pitch', 'rest', 'duration', 'tie', 'voice', 'type', 'dot', 'notations', 'lyric'],
  attributes: ['divisions', 'key', 'time', 'clef'],
  harmony: ['root', 'kind', 'bass', 'offset'],
  pitch: ['step', 'alter', 'octave'],
  lyric: ['syllabic', 'text'],
};
interface Element {
  name: string;
  attributes: Record<string, string>;
  children: Element[];
  text: string;
}
const parser = new XMLParser({ preserveOrder: true, ignoreAttributes: false, parseTagValue: false, trimValues: true });
type Raw = Record<string, Raw[] | string> & { ':@'?: Record<string, string> };
/** Elements in the order in which they stand. */
function parsed(xml: string): Element {
  const of = (raw: Raw): Element => {
    const name = Object.keys(raw).find(k => k !== ':@')!;
    const inner = raw[name] as Raw[];
    return {
      name,
      attributes: Object.fromEntries(Object.entries(raw[':@'] ?? {}).map(([k, v]) => [k.slice(2), v])),
      children: inner.filter(c => !('#text' in c)).map(of),
      text: inner.map(c => (c['#text'] as string | undefined) ?? '').join(''),
    };
  };
  return of((parser.parse(xml) as Raw[]).find(r => 'score-partwise' in r)!);
}
const all = (e: Element, name: string): Element[] => [
  ...(e.name === name ? [e] : []),
  ...e.children.flatMap(c => all(c, name)),
];
const textOf = (e: Element, name: string) => e.children.find(c => c.name === name)?.text;

function checkOrder(e: Element): void {
  const order = ORDER[e.name];
  if (order) {
    const places = e.children.map(c => order.indexOf(c.name));
    expect(places).not.toContain(-1);
    expect(places).toEqual([...places].sort((a, b) => a - b));
  }
  e.children.forEach(checkOrder);
}

describe('MusicXML', () => {
  const notes = [
    note(0, 1, 62, 'leave'),
    note(1, 0.5, 64, 'har-'),
    note(1.5, 0.5, 66, 'bour'),
    note(3, 2.5, 61, 'night'),
    note(8, 3, 70, 'a'),
  ];
  const xml = writeMusicXml(made(notes));
  const score = parsed(xml);

  test('keeps the order of the schema, and its bars are full', () => {
    checkOrder(score);
    const bars = all(score, 'measure');
    expect(bars.map(b => b.attributes.number)).toEqual(['1', '2', '3']);
    const lengths = bars.map(b => all(b, 'note').reduce((sum, n) => sum + Number(textOf(n, 'duration')), 0));
    expect(lengths).toEqual([16, 16, 12]);
  });

  test('has key, metre where it changes, tempo, chords and the name as they are', () => {
    expect(all(score, 'work-title')[0].text).toBe('Ferry & Lamp');
    expect(textOf(all(score, 'key')[0], 'fifths')).toBe('2');
    expect(all(score, 'time').map(t => textOf(t, 'beats'))).toEqual(['4', '3']);
    expect(all(score, 'per-minute')[0].text).toBe('120');
    const chords = all(score, 'harmony').map(h => [
      all(h, 'root-step')[0].text,
      all(h, 'root-alter')[0]?.text,
      textOf(h, 'kind'),
      all(h, 'bass-step')[0]?.text,
      textOf(h, 'offset'),
    ]);
    expect(chords).toEqual([
      ['D', undefined, 'major', undefined, undefined],
      ['F', '1', 'minor-seventh', 'A', '8'],
      ['B', '-1', 'major-seventh', undefined, undefined],
    ]);
  });

  test('writes what is sung: pitches, words in syllables, ties over bar lines, rests only where something rests', () => {
    const [first, second] = all(score, 'measure');
    const said = (b: Element) =>
      all(b, 'note').map(n => [
        all(n, 'step')[0]?.text ?? 'rest',
        Number(textOf(n, 'duration')),
        all(n, 'text')[0]?.text,
        all(n, 'tie')
          .map(t => t.attributes.type)
          .join(),
      ]);
    expect(said(first)).toEqual([
      ['D', 4, 'leave', ''],
      ['E', 2, 'har', ''],
      ['F', 2, 'bour', ''],
      ['rest', 4, undefined, ''],
      ['C', 4, 'night', 'start'],
    ]);
    expect(said(second)[0]).toEqual(['C', 6, undefined, 'stop']);
    expect(all(score, 'syllabic').map(e => e.text)).toEqual(['single', 'begin', 'end', 'single', 'single']);
  });

  test('what begins before bar 1 has bars of its own, and a song without tempo is written all the same', () => {
    const early = parsed(writeMusicXml(made([note(-3, 1, 62), note(0, 1, 64)])));
    expect(all(early, 'measure').map(b => b.attributes.number)).toEqual(['0', '1']);
    checkOrder(early);
    const none = parsed(
      writeMusicXml(made([{ ...note(0, 1, 62), start: 0.5, end: 1 }], { tempo: null, key: null, chords: [] })),
    );
    expect(all(none, 'note').length).toBeGreaterThan(0);
    expect(all(none, 'key')).toHaveLength(0);
    checkOrder(parsed(writeMusicXml(made([]))));
  });

  test('nothing in a name or a word gets out of its place', () => {
    const bad = writeMusicXml(
      made([note(0, 1, 62, '</text><script>')], {
        name: '<b>&\u0000',
        parts: [{ name: '"><x', notes: [note(0, 1, 60, '<i>')] }],
      }),
    );
    expect(bad).not.toContain('<script>');
    expect(bad).not.toContain('<b>');
    expect(all(parsed(bad), 'work-title')[0].text).toBe('<b>&');
    expect(all(parsed(bad), 'text')[0].text).toBe('<i>');
  });

  test('pitches are spelled by the key, staves by how high they lie', () => {
    expect(spelled(61, { tonic: 2, mode: 'major' })).toEqual({ step: 'C', alter: 1, octave: 4 });
    expect(spelled(70, { tonic: 5, mode: 'major' })).toEqual({ step: 'B', alter: -1, octave: 4 });
    const clef = (midi: number) => {
      const [c] = all(parsed(writeMusicXml(made([note(0, 1, midi)]))), 'clef');
      return [textOf(c, 'sign'), textOf(c, 'clef-octave-change')];
    };
    expect([clef(67), clef(57), clef(45)]).toEqual([
      ['G', undefined],
      ['G', '-1'],
      ['F', undefined],
    ]);
  });
});
