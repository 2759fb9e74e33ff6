import { HINT_KINDS, hintName, hintsOf, type HintKind } from '../score';
import { correctionsWith, setTake, together, type Change } from '../song';
import { counted } from '../units';
import { ownReading, Refused, type Intent } from './intent';

/** Hints that were looked at and found to be none. */

const dismissHints: Intent = {
  name: 'dismiss-hints',
  title: 'Dismiss hints',
  about: 'Says that notes are right as they are: what was hinted at is not told again.',
  on: 'notes',
  hears: true,
  args: [
    { name: 'kind', about: 'only hints of this kind', kind: 'choice', of: HINT_KINDS },
    { name: 'again', about: 'tells them again', kind: 'flag' },
  ],
  act({ score, target }, { kind, again }) {
    let count = 0;
    const changes = target.tracks.flatMap(({ track, parts }) => {
      const meant = new Set(parts.filter(p => p.mostly).map(p => p.key));
      const hints = hintsOf(score, track).filter(
        h => meant.has(h.noteKey) && h.looked === !!again && (!kind || h.kind === (kind as HintKind)),
      );
      count += hints.length;
      return track.takes.flatMap((take): Change[] => {
        const { notes } = score.view(track.id);
        const names = hints.flatMap(h => {
          const note = h.takeId === take.id && notes.find(n => n.key === h.noteKey);
          return note ? [hintName(h.kind, note.place.toTake(note.start))] : [];
        });
        if (!names.length) return [];
        ownReading(track);
        const before = take.corrections?.looked ?? [];
        const looked = again ? before.filter(l => !names.includes(l)) : [...new Set([...before, ...names])];
        return [setTake(track.id, take.id, { corrections: correctionsWith(take, { looked }) })];
      });
    });
    if (!count) throw new Refused(again ? 'nothing was dismissed here' : 'there are no hints here');
    return {
      label: `${counted(count, 'hint')} ${again ? 'told again' : 'dismissed'}`,
      song: together(changes)(score.song),
    };
  },
};

export const HINT_INTENTS: readonly Intent[] = [dismissHints];
