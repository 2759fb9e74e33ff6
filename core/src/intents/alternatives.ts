import { sungStretch } from '../score';
import { Alternative, changeTrack, KeptEdit, together, type NoteEdit, type Take, type Track } from '../song';
import { overlapOf, type Span } from '../units';
import { Refused, tracksMeant, type Intent, type Stage } from './intent';

/** Other tunings of a stretch, kept side by side with the one that is heard. */

/** Two stretches are one and the same when they have so much of the shorter in common. */
const SAME_SHARE = 0.6;

/** Alternatives of the stretch a span means; none where it has none yet. */
export const alternativesOf = ({ alternatives }: Pick<Track, 'alternatives'>, span: Span): Alternative[] => {
  const best = alternatives.find(
    a => overlapOf(a, span) > SAME_SHARE * Math.min(a.end - a.start, span.end - span.start),
  );
  return best ? alternatives.filter(a => a.start === best.start && a.end === best.end) : [];
};

const isIn = (span: Span, take: Take, { start, end }: Span): boolean => {
  const middle = (start + end) / 2 + take.offsetSeconds;
  return middle >= span.start && middle < span.end;
};

/** A track's edits within a stretch, to be kept. */
const editsIn = (track: Track, span: Span): KeptEdit[] =>
  track.takes.flatMap(take =>
    Object.values(take.edits)
      .filter(e => isIn(span, take, e))
      .map(e => Object.assign(new KeptEdit(), e, { takeId: take.id })),
  );

/** A track with the edits of a stretch in the place of those it has there. */
function withEditsIn(track: Track, span: Span, edits: readonly KeptEdit[], newId: () => string): Track {
  const takes = track.takes.map(take => {
    const kept = Object.entries(take.edits).filter(([, e]) => !isIn(span, take, e));
    const own = edits.flatMap((e): [string, NoteEdit][] => {
      const { takeId, ...edit } = e;
      return takeId === take.id ? [[newId(), edit]] : [];
    });
    return kept.length === Object.keys(take.edits).length && !own.length
      ? take
      : { ...take, edits: Object.fromEntries([...kept, ...own]) };
  });
  return { ...track, takes };
}

const isSame = (a: Alternative, b: Span) => a.start === b.start && a.end === b.end;

/** What is heard goes aside under its name, and another is heard. */
function heardInstead(track: Track, span: Span, wanted: Alternative, newId: () => string): Track {
  const now = editsIn(track, span);
  const alternatives = track.alternatives.map(a =>
    !isSame(a, span)
      ? a
      : a.id === wanted.id
        ? Object.assign(new Alternative(), a, { heard: true, edits: [] })
        : a.heard
          ? Object.assign(new Alternative(), a, { heard: false, edits: now })
          : a,
  );
  return { ...withEditsIn(track, span, wanted.edits, newId), alternatives };
}

/** The first is the one there is; the new one begins as it is. */
function withNew(track: Track, span: Span, name: string, newId: () => string): Track {
  const mine = track.alternatives.filter(a => isSame(a, span));
  const now = editsIn(track, span);
  const make = (fields: Partial<Alternative>) => Object.assign(new Alternative(), { id: newId(), ...span, ...fields });
  const first = mine.length ? [] : [make({ name: name === 'A' ? 'As it was' : 'A', edits: now })];
  const others = track.alternatives.map(a =>
    isSame(a, span) && a.heard ? Object.assign(new Alternative(), a, { heard: false, edits: now }) : a,
  );
  return { ...track, alternatives: [...others, ...first, make({ name, heard: true })] };
}

function without(track: Track, span: Span, gone: Alternative, newId: () => string): Track {
  const others = track.alternatives.filter(a => isSame(a, span) && a.id !== gone.id);
  const next = gone.heard ? others[0] : undefined;
  const left = next ? heardInstead(track, span, next, newId) : track;
  // one alone is no alternative
  const kept = left.alternatives.filter(a => a.id !== gone.id && !(isSame(a, span) && others.length < 2));
  return { ...left, alternatives: kept };
}

const alternative: Intent = {
  name: 'alternative',
  title: 'Other tuning',
  about:
    'Keeps several tunings of a stretch side by side: a name that is new begins another as it is now, one there is is heard again.',
  on: 'span',
  args: [
    { name: 'name', about: 'which', kind: 'text', most: 60, required: true },
    { name: 'remove', about: 'takes it away', kind: 'flag' },
  ],
  act(stage: Stage, args) {
    const { name, remove } = args as { name: string; remove?: boolean };
    const { score, target, newId } = stage;
    if (!target.span) throw new Refused('no stretch is meant');
    let said = `Other tuning: ${name}`;
    const changes = tracksMeant(stage).map(track => {
      const asked = sungStretch(score.song, track, target.span!);
      const mine = alternativesOf(track, asked);
      const span = mine.length ? { start: mine[0].start, end: mine[0].end } : asked;
      const found = mine.find(a => a.name === name);
      if (remove && !found) throw new Refused(`there is no tuning “${name}” here`);
      if (remove) said = `Tuning ${name} taken away`;
      else if (found) said = `Tuning ${name}`;
      return changeTrack(track.id, t =>
        remove
          ? without(t, span, found!, newId)
          : found
            ? found.heard
              ? t
              : heardInstead(t, span, found, newId)
            : withNew(t, span, name, newId),
      );
    });
    return { label: said, song: together(changes)(score.song) };
  },
};

export const ALTERNATIVE_INTENTS: readonly Intent[] = [alternative];
