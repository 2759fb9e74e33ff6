const NAMES: Record<string, string> = { ArrowUp: '↑', ArrowDown: '↓', ArrowLeft: '←', ArrowRight: '→', Escape: 'Esc' };

const BRACKETS: Record<string, string> = { BracketLeft: '[', BracketRight: ']' };

/** What a key is by its place, where what it writes says nothing: digits with Alt, or on layouts that write them with Shift; brackets. */
function byPlace({ code, key, altKey }: KeyboardEvent): string | null {
  const digit = /^Digit(\d)$/.exec(code)?.[1];
  if (digit && (altKey || !/[-+=./[\]]/.test(key))) return digit;
  return code in BRACKETS && !/^[ -~]$/.test(key) ? BRACKETS[code] : null;
}

/** Name of a key press as actions write it: "Ctrl+Shift+Z". */
export function pressed(e: KeyboardEvent): string {
  const placed = byPlace(e);
  const key = placed ?? (e.key === ' ' ? 'Space' : e.key.length === 1 ? e.key.toUpperCase() : e.key);
  const shifted = e.shiftKey && (key.length > 1 || /[a-z]/i.test(key) || (!!placed && e.altKey));
  return `${e.ctrlKey || e.metaKey ? 'Ctrl+' : ''}${e.altKey ? 'Alt+' : ''}${shifted ? 'Shift+' : ''}${key}`;
}

/** Keys as shown to people. */
export const shown = (keys: string): string =>
  keys
    .split(/\+(?=.)/)
    .map(k => NAMES[k] ?? k)
    .join(' ');
