import {
  asItCame,
  giveKey,
  mayBeGiven,
  ownerOf,
  readShortcuts,
  shortcutsFile,
  takeKey,
  useShortcuts,
  withOwnKeys,
} from './shortcuts';

const actions = [
  { id: 'settle', name: 'Settle', keys: ['S'] },
  { id: 'split', name: 'Split', keys: ['/'] },
  { id: 'play', name: 'Play', keys: ['Space', 'K'] },
];
const keys = () => Object.fromEntries(withOwnKeys(actions).map(a => [a.id, a.keys]));
beforeEach(() => asItCame());

describe('shortcuts of the user’s own', () => {
  it('are what the actions came with until one is given; then no other has that key', () => {
    expect(withOwnKeys(actions).every((a, i) => a === actions[i])).toBe(true);
    giveKey('split', 'S');
    expect(keys()).toEqual({ settle: [], split: ['S'], play: ['Space', 'K'] });
    expect(ownerOf(actions, 'S', 'play')?.id).toBe('split');
    expect(ownerOf(actions, 'S', 'split')).toBeNull();
    takeKey('play');
    expect(keys().play).toEqual([]);
    asItCame('split');
    expect(keys()).toMatchObject({ settle: ['S'], split: ['/'], play: [] });
  });

  it('leave alone what leaves and confirms', () => {
    for (const k of ['Escape', 'Tab', 'Enter', 'Shift', 'Ctrl+Control', 'F5']) expect(mayBeGiven(k)).toBe(false);
    for (const k of ['S', 'Ctrl+Shift+Z', 'F2', 'Alt+3']) expect(mayBeGiven(k)).toBe(true);
  });

  it('are written to a file and read from one; a wrong one changes nothing', () => {
    giveKey('settle', 'Ctrl+M');
    const file = shortcutsFile();
    asItCame();
    readShortcuts(file);
    expect(keys().settle).toEqual(['Ctrl+M']);
    const { own } = useShortcuts.getState();
    for (const [text, why] of [
      ['{', 'not JSON'],
      ['null', 'no shortcuts'],
      ['{"essim":"shortcuts","keys":[]}', 'no shortcuts'],
      ['{"essim":"shortcuts","keys":{"<b>":["S"]}}', 'no command'],
      ['{"essim":"shortcuts","keys":{"settle":"S"}}', 'settle'],
      ['{"essim":"shortcuts","keys":{"settle":[7]}}', 'settle'],
    ])
      expect(() => readShortcuts(text)).toThrow(why);
    expect(useShortcuts.getState().own).toBe(own);
  });
});
