import { memo } from 'react';
import { giveUpPaste, takePaste, usePasting } from './pasting';

/** What pasting would do is shown in the field: taken or given up here, or by Enter and Esc. */
export const PasteLine = memo(function PasteLine() {
  const { shown } = usePasting();
  if (!shown) return null;
  return (
    <section aria-label="Paste" className="rounded-lg border border-teal bg-teal-soft px-2.5 py-1.5">
      <p>The field shows the notes with the copied edits.</p>
      <div className="mt-1 flex gap-1.5">
        <button className="btn btn-ink flex-1" onClick={takePaste}>
          Take them <kbd>Enter</kbd>
        </button>
        <button className="btn flex-1" onClick={giveUpPaste}>
          No <kbd>Esc</kbd>
        </button>
      </div>
    </section>
  );
});
