import { useCallback, useEffect, useLayoutEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useShallow } from 'zustand/react/shallow';
import { DESKS, type DeskId } from '../desks/desks';
import { OPEN_DESKS } from '../desks/registry';
import { ImportDialog } from '../exchange/ImportDialog';
import { recoverRecordings } from '../recording/recorder';
import { editViewOf, openSong, songOf, useSession } from '../open-song';
import { CommandList } from './CommandList';
import type { Action } from './commands';
import { deskActions } from './desk-actions';
import { pressed } from './keys';
import { isTyping } from '../keyboard/typing';
import { FieldMenu } from './FieldMenu';
import { HelpDialog } from './HelpDialog';
import { HistoryList } from './HistoryList';
import { NoteTable } from './NoteTable';
import { Progress } from './Progress';
import { withOwnKeys } from './shortcuts';
import { SidePanel } from './SidePanel';
import { TopBar } from './TopBar';
import { Transport } from './Transport';

/** A song at one of its desks: the frame that is the same everywhere, and the desk in its middle. */
export function SongPage() {
  const { songId = '', desk = 'tune' } = useParams<{ songId: string; desk: DeskId }>();
  const navigate = useNavigate();
  const [listOpen, setListOpen] = useState(false);
  const [helpOpen, setHelpOpen] = useState(false);
  const [historyOpen, setHistoryOpen] = useState(false);
  const showCommands = useCallback(() => setListOpen(true), []);
  const showHistory = useCallback(() => setHistoryOpen(true), []);
  const showHelp = useCallback(() => setHelpOpen(true), []);
  const failure = useSession(s => s.failure);

  useEffect(() => {
    void openSong(songId);
    // what an interrupted recording left becomes takes, once the song is there and may be changed here
    const unsubscribe = useSession.subscribe(s => {
      if (songOf(s)?.id !== songId || s.elsewhere) return;
      unsubscribe();
      void recoverRecordings(songId);
    });
    return unsubscribe;
  }, [songId]);

  // an address with no desk in it leads to Tune
  const open = OPEN_DESKS[DESKS.some(d => d.id === desk) ? desk : 'tune'];
  /** What can be done now. */
  const allActions = useCallback((): Action[] => {
    return [
      ...deskActions(open),
      ...DESKS.map((d, i): Action => ({
        id: `desk-${d.id}`,
        name: `${d.name} desk`,
        keys: [String(i + 1)],
        group: 'Desks',
        run: () => void navigate(`/song/${songId}/${d.id}`),
      })),
      { id: 'shelf', name: 'Song shelf', keys: ['Ctrl+O'], group: 'Song', run: () => void navigate('/') },
      { id: 'commands', name: 'Command list', keys: ['Ctrl+K'], group: 'Song', run: () => setListOpen(true) },
      {
        id: 'help',
        name: 'Help with this desk, and its keys',
        keys: ['F1', '?'],
        group: 'Song',
        run: () => setHelpOpen(true),
      },
      {
        id: 'history',
        name: 'What was done: go back to any moment',
        keys: ['Alt+H'],
        group: 'Song',
        run: () => setHistoryOpen(true),
      },
    ];
  }, [open, navigate, songId]);
  /** The same with the keys the user has given them. */
  const actionsNow = useCallback(() => withOwnKeys(allActions()), [allActions]);

  /** What other desks do, for the list alone: it goes there first. */
  const actionsElsewhere = useCallback((): Action[] => {
    const here = new Set(allActions().map(a => a.id));
    return DESKS.filter(d => OPEN_DESKS[d.id] !== open).flatMap(d =>
      OPEN_DESKS[d.id].actions().flatMap((a): Action[] =>
        here.has(a.id)
          ? []
          : [
              {
                ...a,
                id: `${d.id} ${a.id}`,
                keys: [],
                group: d.name,
                run: () => {
                  void navigate(`/song/${songId}/${d.id}`);
                  setTimeout(a.run, 150);
                },
              },
            ],
      ),
    );
  }, [allActions, navigate, open, songId]);

  // with the desk itself, not after it: a key pressed at first sight of a desk is that desk's
  useLayoutEffect(() => {
    const key = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      // keys are an open dialog's own even when its focus is lost
      if (e.defaultPrevented || document.querySelector('[role="dialog"]') || target.closest('[role="listbox"]')) return;
      if (isTyping(e)) return;
      const name = pressed(e);
      // a fader keeps its own arrows; Space always plays, a focused button is pressed with Enter
      if (target.matches('input[type="range"]') && /^Arrow|^Page|^Home|^End/.test(name)) return;
      const action = actionsNow().find(a => a.keys.includes(name));
      if (!action) return;
      e.preventDefault();
      action.run(e.timeStamp);
    };
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [actionsNow]);

  if (failure)
    return (
      <main className="grid h-full place-items-center p-8 text-center">
        <div>
          <h1 className="text-xl font-semibold">This song could not be opened</h1>
          <p className="mt-2 text-ink-2">{failure} Nothing was changed.</p>
          <Link className="btn btn-ink mt-4" to="/">
            To the shelf
          </Link>
        </div>
      </main>
    );

  return (
    <div className="grid h-full grid-cols-[212px_minmax(0,1fr)_268px] grid-rows-[48px_minmax(0,1fr)_64px] overflow-hidden max-[1100px]:grid-cols-[180px_minmax(0,1fr)_240px]">
      <div className="col-span-3 grid">
        <TopBar onCommands={showCommands} onHistory={showHistory} onHelp={showHelp} />
      </div>
      <SidePanel />
      <main className="relative min-w-0 overflow-hidden">
        <open.Middle />
        {open.showsNotes && <ReadingNotice />}
      </main>
      <aside className="overflow-auto border-l border-rule bg-panel" aria-label="Panel">
        <open.Panel />
      </aside>
      <div className="col-span-3 grid">
        <Transport />
      </div>
      <FieldMenu actions={actionsNow()} own={open.menu ?? []} />
      <NoteTable />
      <ImportDialog />
      <HelpDialog
        desk={DESKS.some(d => d.id === desk) ? desk : 'tune'}
        actions={helpOpen ? allActions() : []}
        open={helpOpen}
        onClose={() => setHelpOpen(false)}
      />
      <HistoryList open={historyOpen} onClose={() => setHistoryOpen(false)} />
      <CommandList
        actions={listOpen ? actionsNow() : []}
        elsewhere={listOpen ? actionsElsewhere() : []}
        open={listOpen}
        onClose={() => setListOpen(false)}
      />
    </div>
  );
}

/** How far the reading is: in the middle while there is nothing to see yet, at the edge once the first phrases are there. */
function ReadingNotice() {
  const { reading, progress, partial } = useSession(
    useShallow(s => {
      const { status, progress, partial } = editViewOf(s);
      return { reading: status === 'reading', progress, partial };
    }),
  );
  if (!reading && !partial) return null;
  return (
    <div
      className={`pointer-events-none absolute flex ${partial ? 'bottom-24 right-5' : 'inset-x-0 top-1/2 justify-center'}`}
    >
      <div className="w-72 shadow-md">
        <Progress title={partial ? 'Reading the rest of the voice' : 'Reading the voice'} share={progress}>
          <p className="mt-1.5 text-[11.5px] text-ink-2">
            {partial ? 'The first phrases are ready to edit.' : 'You can listen meanwhile.'} Stop it in the list of
            tracks.
          </p>
        </Progress>
      </div>
    </div>
  );
}
