import { Chord, clipsOf, KEYS, type BackingEstimate } from '@essim/core';
import { drop, redo, undo, useSession } from '../../open-song';
import { editViewOf } from '../../open-song/state';
import { now, open, settled, song, sung, take, tempo, track } from '../../testing';
import {
  barAtPlayhead,
  borrow,
  dragJoin,
  loansFor,
  nudge,
  pasteWords,
  pickAll,
  pickPart,
  pickPhrase,
  removeTake,
  setChord,
  setFade,
  setKey,
  setTempo,
  setUpFromBacking,
  setWord,
  suggest,
  takeEstimatedTempo,
} from './edits';

// its patterns come in a form that only bundlers read
jest.mock('../../../../core/src/song/hyphenate', () => ({ hyphenate: (word: string) => [word] }));

const views = () => ({ a: sung(60, [3, 4]), b: sung(62, [3, 4], -26) });
const start = () => open(song([track('lead', [take('a'), take('b')])]), views());
const lead = () => now().tracks[0];
const comp = () => clipsOf(lead()).map(c => c.takeId);
const words = () => editViewOf(useSession.getState()).words;

describe('a comp', () => {
  beforeEach(start);

  it('takes a phrase from another take, joined in the rests, and goes back in one step', () => {
    pickPhrase(1, 'b');
    expect(comp()).toEqual(['a', 'b']);
    const [, join] = lead().segments;
    expect(join.at).toBeGreaterThan(2.9);
    expect(join.at).toBeLessThan(4.1);
    undo();
    expect(comp()).toEqual(['a']);
    redo();
    expect(comp()).toEqual(['a', 'b']);
  });

  it('takes any span, but none too short to hear', () => {
    pickPart(1, 2, 'b');
    expect(comp()).toEqual(['a', 'b', 'a']);
    pickPart(0.5, 0.51, 'b');
    expect(comp()).toEqual(['a', 'b', 'a']);
    pickAll('b');
    expect(comp()).toEqual(['b']);
  });

  it('ignores phrases and takes that are not there', () => {
    pickPhrase(9, 'b');
    pickPhrase(0, 'nobody');
    pickPart(0, 1, 'nobody');
    expect(lead().segments).toHaveLength(1);
  });

  it('moves a join in one step however often the pointer moves', () => {
    pickPhrase(1, 'b');
    const before = lead().segments[1].at;
    const grabbed = lead();
    for (const by of [0.01, 0.02, 0.03]) dragJoin(grabbed, 1, before + by);
    drop();
    expect(lead().segments[1].at).toBeCloseTo(before + 0.03, 6);
    undo();
    expect(lead().segments[1].at).toBe(before);
  });

  it('sets the length of a crossfade', () => {
    pickPhrase(1, 'b');
    setFade(lead(), 1, 80);
    expect(lead().segments[1].fadeMs).toBe(80);
  });

  it('is suggested from scores, taking the better take of each phrase', () => {
    const score = (takeId: string, merit: number) => ({
      takeId,
      merit,
      tune: { share: merit, steadySeconds: 1, meanCents: 5 },
      time: { share: 1, good: 3, onsets: 3, meanSeconds: 0.01 },
    });
    suggest([
      { cells: [score('a', 0.2), score('b', 0.9)], by: 'grid' },
      { cells: [score('a', 0.9), score('b', 0.1)], by: 'grid' },
    ]);
    expect(comp()).toEqual(['b', 'a']);
  });

  it('loses a take with its place in the comp, and gets both back', () => {
    pickPhrase(1, 'b');
    removeTake(lead(), lead().takes[1]);
    expect(lead().takes.map(t => t.id)).toEqual(['a']);
    expect(comp()).toEqual(['a']);
    undo();
    expect(comp()).toEqual(['a', 'b']);
  });
});

describe('words', () => {
  beforeEach(async () => {
    await start();
    pasteWords('leave the light\ndown by the wall');
    await settled(() => words().length > 0);
  });

  it('are spread over the notes of every take, a line a phrase', () => {
    expect(words().map(w => w.text)).toEqual(['leave', 'the', 'light', 'down', 'by', 'the', 'wall']);
    expect(words()[3].start).toBeCloseTo(4.1, 1);
    expect(lead().takes[1].words).toHaveLength(7);
  });

  it('are moved to the next note, changed, and taken away', () => {
    const first = words()[0];
    setWord(first, 'leaves');
    expect(words()[0].text).toBe('leaves');
    setWord(words()[0], '');
    expect(words()).toHaveLength(6);
    const light = words().find(w => w.text === 'light')!;
    nudge(light, -1);
    expect(words().find(w => w.text === 'light')!.start).toBeLessThan(light.start);
  });

  it('can be sung by the same word of another place, as loud and begun at the same moment', () => {
    const [, the] = words();
    const loans = loansFor(the);
    expect(loans[0]).toMatchObject({ same: true, word: { text: 'the' } });
    const other =
      loans.find(l => l.take.id === 'b' && Math.abs(l.at - 1.1) < 0.2) ?? loans.find(l => l.take.id === 'b')!;
    borrow(the, other);
    const loan = lead().segments.find(g => g.takeId === 'b')!;
    // take b is 6 dB softer all over
    expect(loan.levelDb).toBeCloseTo(6, 1);
    expect(loan.at + 0.02).toBeCloseTo(the.start, 6);
    expect(loan.shiftSeconds! + other.word.start).toBeCloseTo(the.start, 6);
    expect(comp()).toEqual(['a', 'b', 'a']);
  });
});

describe('set-up', () => {
  beforeEach(start);

  it('begins a tempo where there is none, and keeps what it is not told', () => {
    setTempo('Tempo', { bpm: 96 });
    expect(now().tempo).toMatchObject({ bpm: 96, beatsPerBar: 4, firstBarSeconds: 0 });
    setTempo('Metre', { beatsPerBar: 3 });
    expect(now().tempo).toMatchObject({ bpm: 96, beatsPerBar: 3 });
  });

  it('knows the bar at a moment; nothing changes before bar 2', async () => {
    expect(barAtPlayhead(100)).toBe(2);
    await open(song([track('lead', [take('a')])], { tempo: tempo(60) }), views());
    expect(barAtPlayhead(0)).toBe(2);
    expect(barAtPlayhead(12)).toBe(4);
  });

  it('sets, changes and deletes chords in their order', () => {
    setChord(4, 'G');
    setChord(0, 'D');
    expect(now().chords.map(c => c.name)).toEqual(['D', 'G']);
    setChord(4, 'Em');
    setChord(0, '');
    expect(now().chords).toEqual([Object.assign(new Chord(), { start: 4, name: 'Em' })]);
  });

  it('takes everything from the backing at once, and leaves notes alone', () => {
    const frames = 600;
    const all = new Float32Array(frames * 12);
    const bass = new Float32Array(frames * 12);
    for (let k = 0; k < frames; k++) for (const step of [2, 6, 9]) all[k * 12 + step] = bass[k * 12 + 2] = 1;
    const backing = {
      duration: 60,
      tempo: { bpm: 96, beatsPerBar: 3, firstBarSeconds: 0.4, confidence: 0.9, alsoBpm: null },
      chroma: { all, bass, hop: 0.1 },
      tuningCents: 0,
    } as unknown as BackingEstimate;
    useSession.setState({ backing });
    const edits = lead().takes.map(t => t.edits);
    takeEstimatedTempo(backing);
    expect(now().tempo).toMatchObject({ bpm: 96, beatsPerBar: 3, firstBarSeconds: 0.4 });
    expect(lead().takes.map(t => t.edits)).toEqual(edits);
    setUpFromBacking();
    expect(now().tempo).toMatchObject({ bpm: 96 });
  });

  it('sets a key and takes it back to the estimate', () => {
    setKey(KEYS[2], 'Key');
    expect(now().key).toMatchObject({ tonic: 2, mode: 'major' });
    setKey(null, 'Key');
    expect(now().key).toBeNull();
  });
});
