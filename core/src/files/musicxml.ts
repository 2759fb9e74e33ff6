import { XMLBuilder } from 'fast-xml-parser';
import { BarGrid, readChord, stepName, type Key } from '../music';
import type { Seconds } from '../units';
import { fifthsOf, NO_TEMPO } from './midi';
import type { WrittenNote, WrittenPart, WrittenSong } from './written';

/** MusicXML 4.0, partwise: a staff a voice, with words, key, metre, tempo and chords. */

const HEAD = `<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" "http://www.musicxml.org/dtds/partwise.dtd">
`;
const builder = new XMLBuilder({ preserveOrder: true, ignoreAttributes: false, format: true, suppressEmptyNode: true });

/** An element that is being written; its children stand as they are added. */
class Node {
  readonly children: object[] = [];

  ele(name: string, attributes: Readonly<Record<string, string>> = {}): Node {
    const node = new Node();
    this.children.push({
      [name]: node.children,
      ':@': Object.fromEntries(Object.entries(attributes).map(([k, v]) => [`@_${k}`, clean(v)])),
    });
    return node;
  }
  txt(text: string): void {
    this.children.push({ '#text': clean(text) });
  }
}

/** Of a quarter. */
const DIVISIONS = 4;
/** A rest as short as this is how it was sung, not what was meant. */
const SUNG_GAP = 1;
/** Lengths that can be written as one note, in divisions, the longest first. */
const LENGTHS: readonly [divisions: number, type: string, dots: number][] = [
  [16, 'whole', 0],
  [12, 'half', 1],
  [8, 'half', 0],
  [6, 'quarter', 1],
  [4, 'quarter', 0],
  [3, 'eighth', 1],
  [2, 'eighth', 0],
  [1, '16th', 0],
];
/** Below this a voice is written an octave up, as tenors are; below that in the bass clef. MIDI of its middle. */
const TENOR_UNDER = 62;
const BASS_UNDER = 53;

const KINDS: readonly [RegExp, string][] = [
  [/^(maj|M|Δ)7$/, 'major-seventh'],
  [/^(maj|M|Δ)9$/, 'major-ninth'],
  [/^(m|min|-)(maj|M)7/, 'major-minor'],
  [/^(m7b5|m7♭5|ø)/, 'half-diminished'],
  [/^(dim|°|o)7/, 'diminished-seventh'],
  [/^(dim|°|o)/, 'diminished'],
  [/^(aug|\+)7/, 'augmented-seventh'],
  [/^(aug|\+)/, 'augmented'],
  [/^(m|min|-)6$/, 'minor-sixth'],
  [/^(m|min|-)7$/, 'minor-seventh'],
  [/^(m|min|-)9$/, 'minor-ninth'],
  [/^(m|min|-)$/, 'minor'],
  [/^sus2/, 'suspended-second'],
  [/^sus4?$/, 'suspended-fourth'],
  [/^5$/, 'power'],
  [/^6$/, 'major-sixth'],
  [/^7$/, 'dominant'],
  [/^9$/, 'dominant-ninth'],
  [/^(maj)?$/, 'major'],
];

/** What is sung from one division to another; a rest has no note. */
interface Placed {
  from: number;
  to: number;
  note: WrittenNote | null;
}

/** @returns the document as text, UTF-8 */
export function writeMusicXml(song: WrittenSong): string {
  const grid = new BarGrid(song.tempo ?? NO_TEMPO);
  const at = (t: Seconds) => Math.round(grid.beatAt(t) * DIVISIONS);
  const parts = song.parts.map(p => ({ part: p, placed: placed(p.notes, at) }));
  const all = parts.flatMap(p => p.placed);
  const barOf = (division: number) => grid.place(division / DIVISIONS).bar;
  const first = Math.min(1, ...all.map(p => barOf(p.from)));
  const last = Math.max(1, ...all.map(p => barOf(p.to - 1)));
  const root = new Node();
  root.ele('work').ele('work-title').txt(song.name);
  root.ele('identification').ele('encoding').ele('software').txt('Essim');
  const list = root.ele('part-list');
  parts.forEach(({ part }, i) =>
    list
      .ele('score-part', { id: `P${i + 1}` })
      .ele('part-name')
      .txt(part.name),
  );
  parts.forEach(({ part, placed: notes }, i) => {
    const staff = root.ele('part', { id: `P${i + 1}` });
    const words = syllables(part);
    for (let bar = first; bar <= last; bar++) {
      const [from, to] = [grid.beatOfBar(bar), grid.beatOfBar(bar + 1)].map(b => Math.round(b * DIVISIONS));
      const measure = staff.ele('measure', { number: String(bar) });
      attributes(measure, song, part, grid, bar, bar === first);
      if (
        !i &&
        (bar === first ||
          grid.bpmAt(grid.secondsAt(from / DIVISIONS)) !== grid.bpmAt(grid.secondsAt(from / DIVISIONS - 0.01)))
      )
        tempo(measure, grid.bpmAt(grid.secondsAt(from / DIVISIONS)));
      if (!i)
        for (const c of song.chords) {
          const place = at(c.start);
          if (place >= from && place < to) harmony(measure, c.name, place - from);
        }
      for (const piece of inBar(notes, from, to)) notesOf(measure, piece, song.key, words);
    }
  });
  return `${HEAD}${builder.build([{ 'score-partwise': root.children, ':@': { '@_version': '4.0' } }]) as string}`;
}

/** What XML cannot hold is left out. */
// oxlint-disable-next-line no-control-regex
const clean = (text: string): string => text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '');

/** Notes on the grid, one after another; what is too short to be heard apart goes on in the one before it. */
function placed(notes: readonly WrittenNote[], at: (t: Seconds) => number): Placed[] {
  const out: Placed[] = [];
  for (const note of [...notes].sort((a, b) => a.start - b.start)) {
    const from = at(note.start);
    const to = Math.max(from + 1, at(note.end));
    const before = out[out.length - 1] as Placed | undefined;
    if (before && before.from === from) {
      // two within one sixteenth: the longer is the one that was meant
      if (to - from > before.to - before.from)
        out[out.length - 1] = { from, to, note: { ...note, word: before.note!.word ?? note.word } };
      continue;
    }
    if (before && (before.to > from || from - before.to <= SUNG_GAP)) before.to = from;
    out.push({ from, to, note });
  }
  return out;
}

/** Notes and rests of a bar, those that go over its line cut. */
function inBar(
  notes: readonly Placed[],
  from: number,
  to: number,
): (Placed & { tied: { stop: boolean; start: boolean } })[] {
  const out: (Placed & { tied: { stop: boolean; start: boolean } })[] = [];
  const untied = { stop: false, start: false };
  let reached = from;
  for (const n of notes) {
    if (n.to <= from || n.from >= to) continue;
    const [a, b] = [Math.max(from, n.from), Math.min(to, n.to)];
    if (a > reached) out.push({ from: reached, to: a, note: null, tied: untied });
    out.push({ from: a, to: b, note: n.note, tied: { stop: n.from < from, start: n.to > to } });
    reached = b;
  }
  if (reached < to) out.push({ from: reached, to, note: null, tied: untied });
  return out;
}

function attributes(
  measure: Node,
  song: WrittenSong,
  part: WrittenPart,
  grid: BarGrid,
  bar: number,
  first: boolean,
): void {
  const beats = grid.beatOfBar(bar + 1) - grid.beatOfBar(bar);
  const before = grid.beatOfBar(bar) - grid.beatOfBar(bar - 1);
  if (!first && beats === before) return;
  const out = measure.ele('attributes');
  if (first) {
    out.ele('divisions').txt(String(DIVISIONS));
    if (song.key) {
      const key = out.ele('key');
      key.ele('fifths').txt(String(fifthsOf(song.key)));
      key.ele('mode').txt(song.key.mode);
    }
  }
  const time = out.ele('time');
  time.ele('beats').txt(String(beats));
  time.ele('beat-type').txt('4');
  if (!first) return;
  const pitches = part.notes.map(n => n.midi).sort((a, b) => a - b);
  const middle = pitches[pitches.length >> 1] ?? 65;
  const clef = out.ele('clef');
  const bass = middle < BASS_UNDER;
  clef.ele('sign').txt(bass ? 'F' : 'G');
  clef.ele('line').txt(bass ? '4' : '2');
  if (!bass && middle < TENOR_UNDER) clef.ele('clef-octave-change').txt('-1');
}

function tempo(measure: Node, bpm: number): void {
  const rounded = String(Math.round(bpm * 100) / 100);
  const direction = measure.ele('direction', { placement: 'above' });
  const metronome = direction.ele('direction-type').ele('metronome');
  metronome.ele('beat-unit').txt('quarter');
  metronome.ele('per-minute').txt(rounded);
  direction.ele('sound', { tempo: rounded });
}

function harmony(measure: Node, name: string, offset: number): void {
  const chord = readChord(name);
  if (!chord) return;
  const out = measure.ele('harmony');
  const root = out.ele('root');
  root.ele('root-step').txt(chord.root.step);
  if (chord.root.alter) root.ele('root-alter').txt(String(chord.root.alter));
  const kind = KINDS.find(([written]) => written.test(chord.quality))?.[1] ?? 'other';
  out.ele('kind', { text: clean(chord.quality) }).txt(kind);
  if (chord.bass) {
    const bass = out.ele('bass');
    bass.ele('bass-step').txt(chord.bass.step);
    if (chord.bass.alter) bass.ele('bass-alter').txt(String(chord.bass.alter));
  }
  if (offset) out.ele('offset').txt(String(offset));
}

/** Letter, alteration and octave of a pitch as its key spells it. */
export function spelled(midi: number, key: Key | null): { step: string; alter: number; octave: number } {
  const name = stepName(midi, key);
  const alter = name.length > 1 ? (name[1] === '♯' ? 1 : -1) : 0;
  return { step: name[0], alter, octave: Math.floor(Math.round(midi) / 12) - 1 };
}

type Syllabic = 'single' | 'begin' | 'middle' | 'end';
/** Where each word of a part stands in its whole word. */
function syllables({ notes }: WrittenPart): Map<WrittenNote, { text: string; syllabic: Syllabic }> {
  const out = new Map<WrittenNote, { text: string; syllabic: Syllabic }>();
  let inside = false;
  for (const n of notes) {
    if (n.word === null) continue;
    const goesOn = n.word.endsWith('-') && n.word.length > 1;
    const syllabic: Syllabic = goesOn ? (inside ? 'middle' : 'begin') : inside ? 'end' : 'single';
    out.set(n, { text: goesOn ? n.word.slice(0, -1) : n.word, syllabic });
    inside = goesOn;
  }
  return out;
}

/** One stretch of a bar as as many notes as it takes to write it. */
function notesOf(
  measure: Node,
  { from, to, note, tied }: Placed & { tied: { stop: boolean; start: boolean } },
  key: Key | null,
  words: ReturnType<typeof syllables>,
): void {
  let left = to - from;
  let begun = false;
  while (left > 0) {
    const [divisions, type, dots] = LENGTHS.find(([d]) => d <= left)!;
    left -= divisions;
    const out = measure.ele('note');
    if (note) {
      const { step, alter, octave } = spelled(note.midi, key);
      const pitch = out.ele('pitch');
      pitch.ele('step').txt(step);
      if (alter) pitch.ele('alter').txt(String(alter));
      pitch.ele('octave').txt(String(octave));
    } else out.ele('rest');
    out.ele('duration').txt(String(divisions));
    const stop = !!note && (begun || tied.stop);
    const start = !!note && (left > 0 || tied.start);
    if (stop) out.ele('tie', { type: 'stop' });
    if (start) out.ele('tie', { type: 'start' });
    out.ele('voice').txt('1');
    out.ele('type').txt(type);
    for (let d = 0; d < dots; d++) out.ele('dot');
    if (stop || start) {
      const notations = out.ele('notations');
      if (stop) notations.ele('tied', { type: 'stop' });
      if (start) notations.ele('tied', { type: 'start' });
    }
    const word = note && !stop ? words.get(note) : undefined;
    if (word) {
      const lyric = out.ele('lyric', { number: '1' });
      lyric.ele('syllabic').txt(word.syllabic);
      lyric.ele('text').txt(word.text);
    }
    begun = true;
  }
}
