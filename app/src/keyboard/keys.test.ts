import { keyOfMessage, onKeys, pressKey, setKeys, shiftKeys, useKeys } from './keys';

/** A window that is told of keys as a page's is. */
type Handler = (e: Record<string, unknown>) => void;
const handlers = new Map<string, Set<Handler>>();
const given = globalThis as { window?: unknown };
beforeAll(() => {
  given.window = {
    addEventListener: (kind: string, h: Handler) => handlers.set(kind, (handlers.get(kind) ?? new Set()).add(h)),
    removeEventListener: (kind: string, h: Handler) => handlers.get(kind)?.delete(h),
  };
});
afterAll(() => delete given.window);

const held = () => useKeys.getState().held;
let stopped = 0;
/** A key of the computer by its place. @returns whether it was meant for nobody else */
function key(kind: 'keydown' | 'keyup', code: string, fields: Record<string, unknown> = {}): boolean {
  const before = stopped;
  const e = {
    code,
    key: code,
    target: { matches: () => false },
    preventDefault: () => {},
    stopPropagation: () => stopped++,
    ...fields,
  };
  for (const h of handlers.get(kind) ?? []) h(e);
  return stopped > before;
}

const told: string[] = [];
let end = () => {};
beforeEach(() => {
  told.length = 0;
  useKeys.setState({ from: 48 });
  end = onKeys((midi, down) => told.push(`${midi} ${down ? 'down' : 'up'}`));
});
afterEach(() => {
  end();
  setKeys(false);
});

describe('pitches by hand', () => {
  it('are told once each way, and held between', () => {
    pressKey(60, true);
    pressKey(60, true);
    pressKey(55, true);
    expect(held()).toEqual([55, 60]);
    pressKey(60, false);
    pressKey(62, false);
    expect(held()).toEqual([55]);
    expect(told).toEqual(['60 down', '55 down', '60 up']);
    pressKey(55, false);
  });

  it('are played on the computer’s keys by their places, only while that is on', () => {
    expect(key('keydown', 'KeyA')).toBe(false);
    expect(held()).toEqual([]);
    setKeys(true);
    expect(key('keydown', 'KeyA')).toBe(true);
    expect(key('keydown', 'KeyE')).toBe(true);
    // a key that repeats is still the same key
    key('keydown', 'KeyA', { repeat: true });
    expect(held()).toEqual([48, 51]);
    key('keyup', 'KeyA');
    expect(held()).toEqual([51]);
    expect(told).toEqual(['48 down', '51 down', '48 up']);
  });

  it('leave every other key to what it does, and typing to who types', () => {
    setKeys(true);
    expect(key('keydown', 'Space')).toBe(false);
    expect(key('keydown', 'KeyA', { ctrlKey: true })).toBe(false);
    expect(key('keydown', 'KeyA', { target: { matches: () => true } })).toBe(false);
    expect(held()).toEqual([]);
  });

  it('go up and down by octaves, letting go of what was held', () => {
    setKeys(true);
    key('keydown', 'KeyS');
    key('keydown', 'KeyX');
    expect([useKeys.getState().from, held()]).toEqual([60, []]);
    key('keydown', 'KeyS');
    expect(held()).toEqual([62]);
    key('keydown', 'KeyZ');
    for (let i = 0; i < 9; i++) shiftKeys(1);
    expect(useKeys.getState().from).toBe(84);
  });

  it('end with Esc, and with the window; nothing sounds on', () => {
    setKeys(true);
    key('keydown', 'KeyD');
    for (const h of handlers.get('blur') ?? []) h({});
    expect(held()).toEqual([]);
    key('keydown', 'KeyD');
    key('keydown', 'Escape', { key: 'Escape' });
    expect([useKeys.getState().on, held()]).toEqual([false, []]);
    expect(key('keydown', 'KeyD')).toBe(false);
    expect([...handlers.values()].every(h => h.size === 0)).toBe(true);
  });
});

test.each([
  ['a key down', [0x90, 60, 100], { midi: 60, down: true }],
  ['on another channel', [0x93, 61, 1], { midi: 61, down: true }],
  ['a key up', [0x80, 60, 64], { midi: 60, down: false }],
  ['down without any strength, which is up', [0x90, 60, 0], { midi: 60, down: false }],
  ['a pedal', [0xb0, 64, 127], null],
  ['a clock', [0xf8], null],
])('a MIDI keyboard says %s', (_, data, key) => expect(keyOfMessage(data)).toEqual(key));
