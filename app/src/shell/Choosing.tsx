import { memo } from 'react';
import { X } from 'lucide-react';
import { chooseTyped } from '../commands/choosing';
import { chooseKept, forgetKept, keepSelection } from '../commands/kept-selections';
import { currentScope, groupOf, scopeByTrack, songOf, toggleGrouped, useParts } from '../open-song';
import { TextInput } from './inputs';

const title = 'text-[11px] font-semibold text-ink-2';
const counted = (n: number) => `${n} ${n === 1 ? 'note' : 'notes'}`;

/** Which other tracks take the same commands, and how many of their notes. */
export const GroupLine = memo(function GroupLine() {
  const s = useParts('history', 'views', 'editTrackId', 'viewedTrackIds', 'grouped', 'selection', 'phraseAt');
  const others = groupOf(s);
  const viewed = s.viewedTrackIds.length > 0;
  if (!viewed && !s.grouped) return null;
  const scopes = scopeByTrack(s).slice(1);
  return (
    <div className="flex items-start gap-2" data-testid="group">
      <p className="min-w-0 flex-1 text-ink-2">
        {!s.grouped
          ? 'The tracks you view stay as they are.'
          : others.length
            ? `Together with ${scopes.map(({ track, parts }) => `${track.name}, ${counted(parts.length)}`).join('; ')}.`
            : 'Tracks you view take the same commands.'}
      </p>
      <button className="pill" aria-pressed={s.grouped} onClick={toggleGrouped} title="Shift G">
        as a group
      </button>
    </div>
  );
});

/** Selections kept by name: of the edited track. */
export const KeptSelections = memo(function KeptSelections() {
  const s = useParts('history', 'views', 'editTrackId', 'selection');
  const kept = songOf(s)?.kept.filter(k => k.trackId === s.editTrackId) ?? [];
  const { kind } = currentScope(s);
  const any = kind === 'selection' || kind === 'span';
  return (
    <section aria-label="Kept selections">
      <h2 className={title}>Choosing</h2>
      <div className="mt-1 grid">
        <TypedChoice />
      </div>
      <ul className="mt-1 flex flex-wrap gap-1">
        {kept.map(k => (
          <li key={k.id} className="flex">
            <button
              className="pill rounded-r-none! border-r-0!"
              onClick={() => chooseKept(k)}
              title={k.stretch ? 'A stretch of time' : counted(k.places.length)}
            >
              {k.name}
            </button>
            <button
              className="pill icon rounded-l-none!"
              onClick={() => forgetKept(k.id)}
              aria-label={`Forget ${k.name}`}
              title="Forget it; its notes stay as they are"
            >
              <X size={11} />
            </button>
          </li>
        ))}
      </ul>
      {any && (
        <div className="mt-1 grid">
          <KeepInput key={kept.length} />
        </div>
      )}
    </section>
  );
});

function KeepInput() {
  return (
    <TextInput
      label="Keep this selection as"
      placeholder="Keep this one as …"
      value=""
      longest={100}
      onSet={keepSelection}
    />
  );
}

/** Choosing by lengths or a stretch that are typed. */
function TypedChoice() {
  return (
    <TextInput
      label="Choose by length or stretch"
      placeholder="> 400 ms, < 120 ms, 5.2 to 7.8 s"
      value=""
      longest={40}
      onSet={text => void (text.trim() && chooseTyped(text))}
    />
  );
}
