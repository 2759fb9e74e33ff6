import { degreeIn, noteName } from '@essim/core';
import { X } from 'lucide-react';
import { useEffect } from 'react';
import { keyOf, scaleAtOf, useParts, player } from '../open-song';
import { PLACES, pressKey, setKeys, useKeys } from './keys';

const BLACK = [1, 3, 6, 8, 10];
const isBlack = (midi: number) => BLACK.includes(midi % 12);
const LETTERS = PLACES.map(p => (p === 'Semicolon' ? ';' : p.slice(3)));
const SHOWN = 25;

/** The keyboard while pitches are played by hand: letters of the computer's keys, the key's steps dotted, what is held lit. */
export function Keyboard({ what }: { what: string }) {
  const { on, from, held, device } = useKeys();
  const session = useParts('history', 'draft', 'views', 'backing', 'playing');
  useEffect(() => () => setKeys(false), []);
  if (!on) return null;
  const { key } = keyOf(session);
  const scale = scaleAtOf(session)(player()?.position ?? 0);
  const keys = Array.from({ length: SHOWN }, (_, i) => from + i);
  const white = keys.filter(m => !isBlack(m));
  const width = 100 / white.length;
  return (
    <div
      className="absolute inset-x-0 bottom-0 z-10 border-t border-rule bg-panel px-2 pt-1 pb-1.5"
      role="group"
      aria-label="Keyboard"
      data-testid="keyboard"
    >
      <p className="mb-1 flex items-center gap-2 text-[11.5px] text-ink-2">
        <b className="whitespace-nowrap text-ink">Keys are pitches.</b> {what} <kbd>Z</kbd> <kbd>X</kbd>{' '}
        <span className="whitespace-nowrap">an octave down, up.</span>
        {device && <span>Heard too: {device}.</span>}
        <button className="pill icon ml-auto" onClick={() => setKeys(false)} aria-label="Leave the keyboard">
          <X size={13} />
        </button>
        <kbd>Esc</kbd>
      </p>
      <div className="relative h-[62px]">
        {keys.map(m => {
          const black = isBlack(m);
          const before = keys.filter(k => k < m && !isBlack(k)).length;
          const lit = held.includes(m);
          const letter = LETTERS[m - from] ?? '';
          const style = black
            ? { left: `${(before - 0.3) * width}%`, width: `${0.6 * width}%` }
            : { left: `${before * width}%`, width: `${width}%` };
          const look = lit ? 'bg-teal text-paper' : black ? 'bg-ink text-paper' : 'bg-card text-ink-2';
          return (
            <button
              key={m}
              tabIndex={-1}
              style={style}
              className={`absolute top-0 flex flex-col items-center justify-end rounded-b border border-rule pb-0.5 text-[10px] leading-tight ${black ? 'z-10 h-9' : 'h-full'} ${look}`}
              aria-label={noteName(m, key)}
              aria-pressed={lit}
              onPointerDown={e => {
                e.currentTarget.setPointerCapture(e.pointerId);
                pressKey(m, true);
              }}
              onPointerUp={() => pressKey(m, false)}
              onPointerCancel={() => pressKey(m, false)}
            >
              {degreeIn(scale, m) > 0 && <span aria-hidden>•</span>}
              <span>{letter}</span>
              {!black && m % 12 === 0 && <span>{noteName(m, key)}</span>}
            </button>
          );
        })}
        <span className="sr-only">
          {LETTERS.length} keys of the computer from {noteName(from, key)} on; X and Z move them by octaves
        </span>
      </div>
    </div>
  );
}
