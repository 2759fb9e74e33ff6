import { CircleQuestionMark, Download, History, Moon, Redo2, Sun, Undo2 } from 'lucide-react';
import { memo, type ComponentProps } from 'react';
import { Link, NavLink, useParams } from 'react-router';
import { DESKS } from '../desks/desks';
import { exportTrack } from '../exchange/delivering';
import { redo, songOf, undo, useParts } from '../open-song';
import { Mark } from './Mark';
import { toggleTheme, useTheme } from './theme';

const SAVED = { saved: 'saved', saving: 'saving…', failed: 'not saved' } as const;

interface TopBarProps {
  onCommands: () => void;
  onHistory: () => void;
  onHelp: () => void;
}

/** Drawn again only when what it shows changes: a drag changes the song at every frame. */
export const TopBar = memo(function TopBar({ onCommands, onHistory, onHelp }: TopBarProps) {
  const { songId } = useParams();
  const session = useParts('history', 'saved', 'elsewhere');
  const song = songOf(session);
  const theme = useTheme();
  return (
    <header className="flex items-center gap-3 border-b border-rule bg-panel px-4">
      <Link to="/" className="flex items-center gap-2 text-[17px] font-bold tracking-tight" title="To the song shelf">
        <Mark />
        <span className="max-[1100px]:hidden">Essim</span>
      </Link>
      <div className="min-w-0 truncate text-ink-2">
        <b className="font-semibold text-ink">{song?.name ?? '…'}</b>
        {song && (
          <span className={session.elsewhere || session.saved === 'failed' ? 'font-semibold text-amber' : ''}>
            {' '}
            · {session.elsewhere ? 'open in another tab: here to look and listen' : SAVED[session.saved]}
          </span>
        )}
      </div>
      <nav className="mx-auto flex gap-0.5" aria-label="Desks">
        {DESKS.map((d, i) => (
          <NavLink
            key={d.id}
            to={`/song/${songId}/${d.id}`}
            title={d.about}
            className={({ isActive }) =>
              `rounded-full px-2.5 py-1.5 font-medium max-[1100px]:px-2 ${isActive ? 'bg-ink text-on-ink' : 'text-ink-2 hover:bg-rule-soft'}`
            }
          >
            <span className="mr-1 text-[10px] opacity-70">{i + 1}</span>
            {d.name}
          </NavLink>
        ))}
      </nav>
      <button className="btn" onClick={onCommands}>
        Commands <kbd className="max-[1180px]:hidden">Ctrl K</kbd>
      </button>
      <IconButton name="Undo" title="Undo (Ctrl+Z)" onClick={undo} disabled={!session.history?.canUndo}>
        <Undo2 size={15} />
      </IconButton>
      <IconButton name="Redo" title="Redo (Ctrl+Shift+Z)" onClick={redo} disabled={!session.history?.canRedo}>
        <Redo2 size={15} />
      </IconButton>
      <IconButton
        name="What was done"
        title="What was done: go back to any moment (Alt+H)"
        className="max-[1180px]:hidden"
        onClick={onHistory}
      >
        <History size={15} />
      </IconButton>
      <IconButton
        name="Export the edited track"
        title="Export the edited track as WAV (Ctrl+E)"
        onClick={() => void exportTrack()}
        data-testid="export"
      >
        <Download size={15} />
      </IconButton>
      <IconButton
        name="Help"
        title="Help with this desk, and its keys (F1 or ?)"
        className="max-[1180px]:hidden"
        onClick={onHelp}
      >
        <CircleQuestionMark size={15} />
      </IconButton>
      <IconButton
        name={theme === 'light' ? 'Night' : 'Light'}
        title="Light or night (Ctrl+Shift+L)"
        onClick={toggleTheme}
      >
        {theme === 'light' ? <Moon size={15} /> : <Sun size={15} />}
      </IconButton>
    </header>
  );
});

function IconButton({ name, className = '', ...button }: ComponentProps<'button'> & { name: string }) {
  return <button className={`btn icon ${className}`} aria-label={name} {...button} />;
}
