import { useState } from 'react';
import {
  forgetVersion,
  goBackTo,
  hearVersion,
  keepVersion,
  nextVersionName,
  versionHeard,
} from '../../commands/versions';
import { useParts, useSession } from '../../open-song';

const when = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' });

/** States of the song kept by name. */
export function Versions() {
  const session = useParts('history');
  const heard = useSession(versionHeard);
  const [name, setName] = useState('');
  const versions = session.history?.song.versions ?? [];
  const keep = () => {
    if (!keepVersion(name.trim() || nextVersionName())) return;
    setName('');
    // keys belong to the desk again
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
  };
  return (
    <section aria-label="Versions">
      <h3 className="mb-1 font-semibold text-ink-2">Versions</h3>
      <form
        className="flex gap-1.5"
        onSubmit={e => {
          e.preventDefault();
          keep();
        }}
      >
        <input
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5"
          aria-label="Name of the version"
          placeholder={nextVersionName()}
          maxLength={100}
          value={name}
          onChange={e => setName(e.target.value)}
          onKeyDown={e => e.stopPropagation()}
        />
        <button className="btn" title="Keeps the song as it is (V)">
          Keep
        </button>
      </form>
      {versions.length ? (
        <ul className="mt-1.5 flex flex-col gap-1" aria-label="Kept versions">
          {versions.toReversed().map(v => (
            <li key={v.id} className="card py-2">
              <p className="truncate font-semibold">{v.name}</p>
              {v.madeAt > 0 && <p className="text-[11.5px] text-ink-2">{when.format(v.madeAt)}</p>}
              <div className="mt-1 flex gap-1.5">
                <button
                  className="pill"
                  aria-pressed={heard?.id === v.id}
                  title="Heard and seen in the place of the song, while it plays on (Shift V goes through them)"
                  onClick={() => hearVersion(v)}
                >
                  {heard?.id === v.id ? 'Hearing it' : 'Hear'}
                </button>
                <button className="pill" onClick={() => goBackTo(v)}>
                  Go back
                </button>
                <button className="pill" title="Can be undone" onClick={() => forgetVersion(v)}>
                  Forget
                </button>
              </div>
            </li>
          ))}
        </ul>
      ) : (
        <p className="mt-1 text-[11.5px] text-ink-2">
          A version keeps the song as it is: to go back to, and to hear beside what is there now.
        </p>
      )}
    </section>
  );
}
