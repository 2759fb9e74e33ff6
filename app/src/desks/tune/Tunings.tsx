import { memo } from 'react';
import { Plus, X } from 'lucide-react';
import { addAlternative, alternativesNow, hearAlternative, removeAlternative } from '../../commands/alternatives';
import { useParts } from '../../open-song';

/** Tunings of the phrase, or of the chosen stretch, to switch between while it plays. */
export const Tunings = memo(function Tunings() {
  const session = useParts('history', 'draft', 'editTrackId', 'selection', 'phraseAt', 'views', 'view');
  const all = alternativesNow(session);
  const heard = all.find(a => a.heard);
  return (
    <section aria-label="Tunings" className="flex flex-wrap items-center gap-1">
      <span className="text-[11px] font-semibold text-ink-2">Tunings</span>
      {all.map(a => (
        <button
          key={a.id}
          className={`btn !px-2 !py-0.5 ${a.heard ? 'btn-on' : ''}`}
          aria-pressed={a.heard}
          onClick={() => hearAlternative(a.name)}
        >
          {a.name}
        </button>
      ))}
      <button
        className="btn !px-1.5 !py-0.5"
        onClick={addAlternative}
        title="Keep this tuning of the phrase, and go on with another (Shift+Y)"
      >
        <Plus size={12} aria-hidden /> {all.length ? '' : 'another'}
        <span className="sr-only">another tuning of the phrase</span>
      </button>
      {heard && (
        <button
          className="btn !px-1.5 !py-0.5"
          onClick={() => removeAlternative(heard.name)}
          aria-label={`Take tuning ${heard.name} away`}
          title={`Take tuning ${heard.name} away`}
        >
          <X size={12} aria-hidden />
        </button>
      )}
    </section>
  );
});
