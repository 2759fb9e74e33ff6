import {
  chordTones,
  choirOf,
  clamp,
  noteName,
  otherNotes,
  pitchClass,
  referenceCents,
  stepName,
  wholeNote,
  type Compass,
  type Midi,
  type Track,
} from '@essim/core';
import { setPart } from '../../commands/parts';
import { tryOut, stopTrying } from '../../commands/trying';
import { drawRailOffers, offerAt, type RailOffer } from '../../field/draw/offers';
import { box, fade, fitted, font, line, type Pen } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import { trackColour, type Palette } from '../../field/palette';
import type { Scene } from '../../field/scene';
import { handle, type FieldPointer, type Handle } from '../../field/tool';
import { pitchAt, xOf, yOf, type Layout, type Viewport } from '../../field/viewport';
import {
  act,
  drop,
  editTrackOf,
  editViewOf,
  giveUp,
  keyAt,
  scoreOf,
  songOf,
  useSession,
  viewOf,
  type SessionState,
} from '../../open-song';

import { compassesOf, giveUpCompass, setCompass } from '../../commands/unpicking';
import { addingHandle, drawUnpicked, lineColour, unpickedHandle, unpickedShown } from './unpicked';

/** Parts led through the song's chords, in the field: stones where a chord's tones lie, compasses, other ways for a note. */

const STONE = 9;
/** A compass is drawn right of the ladder, each voice's beside the last, px. */
const BRACKET = { first: 9, apart: 9, tick: 5, grip: 7 };
const NARROWEST = 3;

/** The choir of the edited track, the highest first; none where it is not led by chords. */
export function choirNow(s: SessionState): Track[] {
  const [song, track] = [songOf(s), editTrackOf(s)];
  return song && track?.part?.by === 'chords' ? choirOf(song, track) : [];
}

// ---- stones

function drawStones(pen: Pen, { song, view, layout, palette, duration }: Scene): void {
  const { chords } = song;
  chords.forEach((chord, i) => {
    const [from, to] = [chord.start, chords[i + 1]?.start ?? duration];
    if (to < view.from || from > view.to) return;
    const tones = chordTones(chord.name);
    const [x, end] = [Math.max(layout.ladder, xOf(view, layout, from) + 2), xOf(view, layout, to) - 2];
    for (let m = Math.ceil(view.low); m <= view.high; m++) {
      const at = tones.indexOf(pitchClass(m));
      if (at < 0) continue;
      pen.fillStyle = fade(palette.slate, at === 0 ? 0.2 : 0.12);
      pen.beginPath();
      pen.roundRect(x, yOf(view, layout, m) - STONE / 2, Math.max(2, end - x), STONE, STONE / 2);
      pen.fill();
    }
  });
}

/** Each chord as a card at the field's top, with its tones: what the stones under it stand for. */
function drawChordCards(pen: Pen, { song, view, layout, palette, duration }: Scene): void {
  const { chords } = song;
  pen.save();
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  chords.forEach((chord, i) => {
    const [from, to] = [chord.start, chords[i + 1]?.start ?? duration];
    if (to < view.from || from > view.to) return;
    const x = Math.max(layout.ladder + CARD.left, xOf(view, layout, from) + 3);
    const room = xOf(view, layout, to) - 3 - x;
    if (room < CARD.least) return;
    const key = keyAt(useSession.getState(), from);
    const tones = chordTones(chord.name)
      .map(t => stepName(t, key))
      .join(' ');
    const y = layout.field.top + CARD.top;
    pen.font = font(11.5, 700);
    const name = pen.measureText(chord.name).width;
    pen.font = font(10.5);
    const width = name + 8 + pen.measureText(tones).width;
    const both = width + 14 <= room;
    pen.fillStyle = palette.card;
    pen.strokeStyle = palette.rule;
    pen.lineWidth = 1;
    box(pen, x, y, both ? width + 14 : Math.min(room, name + 14), CARD.height, 6);
    pen.fill();
    pen.stroke();
    pen.font = font(11.5, 700);
    pen.fillStyle = palette.teal;
    pen.fillText(fitted(pen, chord.name, room - 12), x + 7, y + CARD.height / 2 + 0.5);
    if (!both) return;
    pen.font = font(10.5);
    pen.fillStyle = palette.ink2;
    pen.fillText(tones, x + 15 + name, y + CARD.height / 2 + 0.5);
  });
  pen.restore();
}
/** Right of the compasses, px. */
const CARD = { left: 44, top: 5, height: 20, least: 26 };

// ---- compasses

interface Bracket extends Compass {
  colour: keyof Palette;
  own: boolean;
  set(bounds: Partial<Compass>, how: 'held' | 'done' | 'given up'): void;
}

/** The compasses of the choir; while a chord is unpicked, of those who sing in it. */
function bracketsNow(s: SessionState): Bracket[] {
  const found = unpickedShown();
  if (found?.notes.length)
    return compassesOf(found).map((c, line) => ({
      ...c,
      colour: lineColour(line),
      own: false,
      set: (bounds, how) => (how === 'given up' ? giveUpCompass() : setCompass(line, bounds, how === 'held')),
    }));
  return choirNow(s).map(track => ({
    low: track.part!.low!,
    high: track.part!.high!,
    colour: trackColour(track),
    own: track.id === s.editTrackId,
    set(bounds, how) {
      if (how === 'held') setPart(`Compass of ${track.name}`, track, bounds, { held: true });
      else if (how === 'done') drop();
      else giveUp();
    },
  }));
}

const placed = (list: readonly Bracket[], view: Viewport, layout: Layout) =>
  list.map((bracket, i) => ({
    bracket,
    x: layout.ladder + BRACKET.first + i * BRACKET.apart,
    low: yOf(view, layout, bracket.low - 0.5),
    high: yOf(view, layout, bracket.high + 0.5),
  }));

function drawBrackets(pen: Pen, { view, layout, palette }: Scene): void {
  for (const { bracket, x, low, high } of placed(bracketsNow(useSession.getState()), view, layout)) {
    const { own, colour } = bracket;
    pen.strokeStyle = palette[colour];
    pen.fillStyle = pen.strokeStyle;
    pen.lineWidth = own ? 2.6 : 1.4;
    line(pen, x, low, x, high);
    line(pen, x, low, x + BRACKET.tick, low);
    line(pen, x, high, x + BRACKET.tick, high);
    // its favourite place
    pen.beginPath();
    pen.arc(x, (low + high) / 2, own ? 3.6 : 2.6, 0, 2 * Math.PI);
    pen.fill();
  }
}

interface End {
  bracket: Bracket;
  end: 'low' | 'high';
}
const compassHandle = handle<End>({
  hit({ x, y, area, scene }) {
    if (area !== 'field' || !scene) return null;
    for (const p of placed(bracketsNow(useSession.getState()), scene.view, scene.layout))
      if (Math.abs(x - p.x - 1) < BRACKET.grip)
        for (const end of ['low', 'high'] as const)
          if (Math.abs(y - p[end]) < BRACKET.grip) return { bracket: p.bracket, end };
    return null;
  },
  cursor: () => 'ns-resize',
  grab(_, { bracket, end }) {
    const { low, high } = bracket;
    let bounds: Partial<Compass> = {};
    return {
      move(now) {
        const at = now.scene ? pitchAt(now.scene.view, now.scene.layout, now.y) : now.pitch;
        const to = Math.round(at + (end === 'low' ? 0.5 : -0.5));
        bounds = end === 'low' ? { low: clamp(to, 0, high - NARROWEST) } : { high: clamp(to, low + NARROWEST, 127) };
        bracket.set(bounds, 'held');
        return { tag: { x: now.x + 14, y: now.y - 32, text: nameOf(Object.values(bounds)[0]) } };
      },
      drop: () => bracket.set(bounds, 'done'),
      cancel: () => bracket.set(bounds, 'given up'),
    };
  },
});
const nameOf = (m: Midi): string => noteName(m, keyAt(useSession.getState(), 0));

// ---- other ways for the chosen note

interface Way extends RailOffer {
  key: string;
  seed: number;
  start: number;
  end: number;
}

let last: { of: unknown[]; ways: Way[] } = { of: [], ways: [] };
/** Where else the chosen note of a choir's part could go; each by the number that takes it. Not while something is tried. */
export function waysNow(s: SessionState): Way[] {
  const track = editTrackOf(s);
  if (s.draft) return last.ways;
  const [key, ...more] = s.selection.trackId === s.editTrackId ? [...s.selection.notes] : [];
  const view = editViewOf(s);
  const of = [view, key, more.length, songOf(s)];
  if (of.every((v, i) => v === last.of[i])) return last.ways;
  const note = key && !more.length && track?.part?.by === 'chords' ? view.notes.find(n => n.key === key) : undefined;
  const reference = songOf(s) ? referenceCents(songOf(s)!) / 100 : 0;
  const ways = !note
    ? []
    : otherNotes(scoreOf(s), track!, note).flatMap((m, i): Way[] =>
        m === null || Math.abs(m + reference - (view.edits[note.key]?.target ?? -1)) < 0.01
          ? []
          : [
              {
                key: note.key,
                seed: i + 1,
                pitch: m + reference,
                from: note.start,
                to: note.end,
                start: note.start,
                end: note.end,
              },
            ],
      );
  last = { of, ways };
  return ways;
}

const partsOf = (way: Way) =>
  viewOf(useSession.getState(), useSession.getState().editTrackId)
    .notes.filter(n => n.key === way.key)
    .map(wholeNote);

export const takeWay = (way: Way): boolean => {
  stopTrying();
  return act('another-way', { seed: way.seed }, { parts: partsOf(way) });
};
export const tryWay = (way: Way): void =>
  tryOut(
    `way ${way.key} ${way.seed}`,
    () => void act('another-way', { seed: way.seed }, { held: true, parts: partsOf(way) }),
    way,
  );

const wayAt = (p: FieldPointer): Way | null =>
  p.area === 'field' && p.scene ? offerAt(p.scene, waysNow(useSession.getState()), p.x, p.y) : null;

export function overWays(p: FieldPointer | null): void {
  const way = p && wayAt(p);
  if (way) tryWay(way);
  else stopTrying();
}

const wayHandle = handle<Way>({ hit: wayAt, cursor: () => 'pointer', click: (_, way) => takeWay(way) });

export const choirHandles: Handle[] = [compassHandle, unpickedHandle, addingHandle, wayHandle];

export const choirDress: Dress = {
  under(pen, s) {
    drawStones(pen, s);
    const session = useSession.getState();
    drawRailOffers(pen, s, waysNow(session), s.colour, 'card', t => keyAt(session, t));
  },
  over(pen, s) {
    drawUnpicked(pen, s);
    drawBrackets(pen, s);
    drawChordCards(pen, s);
  },
};
