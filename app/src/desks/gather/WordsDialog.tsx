import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { useState } from 'react';
import { toast } from 'sonner';
import { phraseText } from '../../field/scene';
import { editViewOf, useSession } from '../../open-song';
import { pasteWords } from './edits';
import { useGather } from './state';

/** Words pasted as text, one line a phrase. */
export function WordsDialog() {
  const view = useSession(editViewOf);
  const [text, setText] = useState(() =>
    view.phrases
      .map(p => phraseText(p, view.words))
      .join('\n')
      .trim(),
  );
  const close = () => useGather.setState({ wordsOpen: false });
  const lines = text.split('\n').filter(l => l.trim()).length;
  const spread = () => {
    if (lines) pasteWords(text);
    else toast('There are no words in this text.');
    close();
  };
  return (
    <Dialog open onClose={close} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className="w-full max-w-lg rounded-xl border border-rule bg-card p-5 shadow-xl">
          <DialogTitle className="text-lg font-semibold">Words</DialogTitle>
          <p className="mt-1 text-ink-2">
            One line a phrase. Long words are divided into syllables; a hyphen says where, if you know better. Each
            syllable goes on a note, held ones over several.
          </p>
          <textarea
            className="mt-3 h-64 w-full rounded-lg border border-rule bg-card p-2.5"
            aria-label="Words of the song"
            autoFocus
            value={text}
            onChange={e => setText(e.target.value)}
            onKeyDown={e => e.stopPropagation()}
          />
          <p className="mt-1 text-ink-2" aria-live="polite">
            {lines} {lines === 1 ? 'line' : 'lines'} for {view.phrases.length} phrases
            {lines && lines !== view.phrases.length
              ? '; they do not match, so all words are spread over all notes'
              : ''}
          </p>
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn" onClick={close}>
              Cancel
            </button>
            <button className="btn btn-ink" onClick={() => void spread()} data-testid="spread-words">
              Spread over the notes
            </button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
