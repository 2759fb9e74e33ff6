import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { goInHistory, useParts } from '../open-song';

const clock = new Intl.DateTimeFormat(undefined, { timeStyle: 'short' });
const day = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium' });
/** Of a long history the newest are listed. */
const LISTED = 300;

/** Everything that was done to the song, the newest first; a click goes there. */
export function HistoryList({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 flex justify-center p-6 pt-[10vh]">
        <DialogPanel className="flex h-fit max-h-[76vh] w-full max-w-md flex-col overflow-hidden rounded-xl border border-rule bg-card shadow-xl">
          <DialogTitle className="border-b border-rule px-4 py-3 text-[15px] font-semibold">What was done</DialogTitle>
          {open && <Entries />}
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Entries() {
  const { history } = useParts('history');
  if (!history) return null;
  const { entries, cursor } = history;
  const rows = entries.map((e, i) => ({ ...e, done: i + 1 })).reverse();
  const shown = rows.slice(0, LISTED);
  return (
    <ol className="overflow-auto p-1.5" aria-label="Undo history">
      {shown.map(({ label, time, done }, i) => {
        const newDay = i === 0 || day.format(time) !== day.format(shown[i - 1].time);
        return (
          <li key={done}>
            {newDay && <p className="px-3 pt-2 pb-1 text-[11px] font-semibold text-ink-2">{day.format(time)}</p>}
            <button
              className={`flex w-full items-center gap-3 rounded-lg px-3 py-1.5 text-left hover:bg-teal-soft ${done === cursor ? 'bg-teal-soft font-semibold' : done > cursor ? 'text-ink-2 line-through' : ''}`}
              aria-current={done === cursor ? 'step' : undefined}
              onClick={() => goInHistory(done)}
            >
              <span className="flex-1 truncate">{label}</span>
              <span className="text-[11px] text-ink-2 tabular-nums">{clock.format(time)}</span>
            </button>
          </li>
        );
      })}
      {rows.length > LISTED && <li className="px-3 py-1.5 text-ink-2">and {rows.length - LISTED} before</li>}
      <li>
        <button
          className={`w-full rounded-lg px-3 py-1.5 text-left hover:bg-teal-soft ${cursor === 0 ? 'bg-teal-soft font-semibold' : ''}`}
          aria-current={cursor === 0 ? 'step' : undefined}
          onClick={() => goInHistory(0)}
        >
          As it was brought in
        </button>
      </li>
    </ol>
  );
}
