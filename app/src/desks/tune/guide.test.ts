import { asDataUrl, noteName, writeMidi } from '@essim/core';
import {
  hearAlternative,
  addAlternative,
  alternativesNow,
  nextAlternative,
  removeAlternative,
} from '../../commands/alternatives';
import { hearHeld } from '../../commands/hard';
import { pressKey, useKeys } from '../../keyboard/keys';
import { act, editViewOf, seek, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { now, open, song, sung, take, track, withSound } from '../../testing';
import { at, click as clickWith, drag as dragWith } from '../../testing-field';
import {
  guideByFile,
  guideByTrack,
  setFold,
  setGuiding,
  setOffset,
  settleOnGuide,
  settleOnHeld,
  useGuiding,
} from './guide';
import { chosenHints, dismissChosen, hintsNow, hintText, stepHint, takeFirst } from './hints';
import { tuneTool } from './tool';
import { intoNotes, setWhole, toggleWhole, wholeNow, wholeSummary } from './whole-take';

/** Six notes a second apart, 40 cents over C4, in C major; each from .1 to .9 s of its second. */
const s = useSession.getState;
const targets = () => editViewOf(s()).notes.map(n => editViewOf(s()).edits[n.key]?.target);
const choose = (...list: number[]) => list.forEach((i, n) => clickWith(tuneTool, at(i + 0.5, 60.4, { shift: n > 0 })));
const guide = () => now().tracks[0].guide;
const file = (name: string, bytes: Uint8Array) => new File([bytes as Uint8Array<ArrayBuffer>], name);
const melody = (...midi: number[]) =>
  writeMidi(
    'tune',
    midi.map((m, i) => ({ start: i + 0.1, end: i + 0.9, midi: m })),
    120,
  );

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(60.4, [6]) });
  withSound({ a: 6 });
});
afterEach(() => {
  setOpened(null);
  setGuiding(false);
  useKeys.setState({ held: [] });
});

describe('a melody guide', () => {
  it('comes from a file, is moved and folded, and says where notes go', async () => {
    await guideByFile(file('tune.mid', melody(60, 62, 64, 65, 67, 69)));
    expect(guide()).toMatchObject({ name: 'tune', offsetSeconds: 0 });
    settleOnGuide();
    expect(targets()).toEqual([60, 62, 64, 65, 67, 69]);
    setOffset(1, {});
    setFold(true);
    expect(guide()).toMatchObject({ offsetSeconds: 1, fold: true });
  });

  it('that is no melody is refused by name; of several one is asked for', async () => {
    await guideByFile(file('notes.txt', new TextEncoder().encode('la la la')));
    expect(guide()).toBeNull();
    useGuiding.setState({
      file: { midi: asDataUrl(melody(72, 74)), tracks: [{ name: 'tune', notes: [] }] },
    });
    guideByTrack(0);
    expect(guide()!.notes.map(n => n.midi)).toEqual([72, 74]);
    expect(useGuiding.getState().file).toBeNull();
  });

  it('is drawn, dragged and taken away in the field', () => {
    setGuiding(true);
    dragWith(tuneTool, at(1.2, 64.2), at(1.8, 64.2));
    dragWith(tuneTool, at(2.2, 66.9), at(2.8, 66.9));
    expect(guide()!.notes.map(n => n.midi)).toEqual([64, 67]);
    dragWith(tuneTool, at(1.5, 64), at(1.6, 65));
    expect(guide()!.notes[0]).toMatchObject({ midi: 65, start: expect.closeTo(1.3, 1) as number });
    clickWith(tuneTool, at(2.5, 67, { alt: true }));
    expect(guide()!.notes).toHaveLength(1);
    setGuiding(false);
    expect(targets().every(t => t === undefined)).toBe(true);
  });

  it('gives way to what is held on the keyboard when that is settled on', () => {
    pressKey(62, true);
    choose(0, 1);
    settleOnHeld();
    expect(targets().slice(0, 3)).toEqual([62, 62, undefined]);
    pressKey(62, false);
    expect(settleOnHeld()).toBe(false);
  });
});

describe('hints', () => {
  it('are stepped through, taken and dismissed', () => {
    act('move', { semitones: 0.6 }, { parts: [] });
    const all = hintsNow(s());
    expect(all.every(h => h.kind === 'halfway')).toBe(true);
    expect(hintText(all[0])).toBe('between two steps');
    stepHint(1);
    const [hint] = chosenHints(s());
    const { alternatives } = hint;
    expect(alternatives.map(p => noteName(p, null))).toEqual(['C4', 'D4']);
    takeFirst();
    expect(targets().filter(t => t === 60)).toHaveLength(1);
    expect(hintsNow(s())).toHaveLength(all.length - 1);
    stepHint(1);
    dismissChosen();
    expect(hintsNow(s())).toHaveLength(all.length - 2);
  });
});

describe('a whole take', () => {
  it('is tuned and set, and becomes notes', () => {
    expect(wholeSummary(now().tracks[0])).toBe('off');
    toggleWhole();
    setWhole('settleMs', 120, {});
    expect(wholeNow(s())).toMatchObject({ settleMs: 120, aim: 100 });
    expect(wholeSummary(now().tracks[0])).toBe('settles in 120 ms');
    toggleWhole();
    expect(now().tracks[0].whole).toEqual([]);
    expect(intoNotes()).toBe(false);
  });
});

describe('comparing', () => {
  it('hears everything hard for as long as it is asked, and leaves no trace', () => {
    const { history } = s();
    hearHeld('hard');
    expect(targets()).toEqual([60, 60, 60, 60, 60, 60]);
    hearHeld(null);
    expect(targets().every(t => t === undefined)).toBe(true);
    expect(s().history).toBe(history);
  });

  it('keeps tunings of a phrase side by side', () => {
    seek(1);
    addAlternative();
    act('settle');
    expect(alternativesNow(s()).map(a => [a.name, a.heard])).toEqual([
      ['A', false],
      ['B', true],
    ]);
    nextAlternative();
    expect(targets().every(t => t === undefined)).toBe(true);
    hearAlternative('B');
    expect(targets()[0]).toBe(60);
    removeAlternative('A');
    expect(alternativesNow(s())).toEqual([]);
  });
});
