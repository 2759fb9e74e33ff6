import { db } from './db';

/** The database as an older or a newer Essim in another tab meets it. */
const opened = (version: number, hooks: { blocked?: () => void } = {}) =>
  new Promise<IDBDatabase>((done, fail) => {
    // Dexie counts in tens
    const request = indexedDB.open('essim', version * 10);
    request.onupgradeneeded = () => {
      if (!request.result.objectStoreNames.contains('songs'))
        request.result.createObjectStore('songs', { keyPath: 'id' });
    };
    request.onblocked = () => hooks.blocked?.();
    request.onsuccess = () => done(request.result);
    request.onerror = () => fail(request.error ?? new Error('not opened'));
  });

afterEach(async () => {
  db.onOutdated = db.onBlocked = () => {};
  db.close();
  await new Promise(done => (indexedDB.deleteDatabase('essim').onsuccess = done));
});

it('lets go of the store when a newer Essim wants it, and says so', async () => {
  const said = jest.fn();
  db.onOutdated = said;
  await db.open();
  const newer = await opened(99);
  expect(said).toHaveBeenCalledTimes(1);
  // nothing can be saved from here any more, and that is an error, not silence
  await expect(db.songs.count()).rejects.toThrow();
  newer.close();
});

it('waits for an older tab that holds the store open, says so, and goes on when that is closed', async () => {
  const older = await opened(1);
  const said = new Promise<void>(done => (db.onBlocked = done));
  const opening = db.open();
  await said;
  older.close();
  await opening;
  expect(db.isOpen()).toBe(true);
});
