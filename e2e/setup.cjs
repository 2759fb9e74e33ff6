/**
 * Before all journeys: one visit in which the demo song is opened and read, so that not each of them has to wait for that. Runs that
 * follow each other may share it: ESSIM_KEPT_VISIT names an empty folder for it then, and whoever made that takes it away.
 */
require('tsx/cjs');
const { mkdtempSync, readdirSync } = require('node:fs');
const { tmpdir } = require('node:os');
const { join } = require('node:path');
const { Visit } = require('./browser.ts');

module.exports = async () => {
  if (!process.env.ESSIM_KEPT_VISIT)
    process.env.ESSIM_KEPT_VISIT = globalThis.essimKeptProfile = mkdtempSync(join(tmpdir(), 'essim-kept-'));
  if (readdirSync(process.env.ESSIM_KEPT_VISIT).length) return;
  const visit = await Visit.begin();
  try {
    await visit.page.waitForSelector('[data-testid=open-demo]');
    await visit.page.click('[data-testid=open-demo]');
    await visit.notesReady();
    await visit.allRead();
    await visit.kept();
    // off the shelf again, as it was met
    await visit.page.evaluate(`new Promise((done, fail) => {
      const opening = indexedDB.open('essim');
      opening.onsuccess = () => {
        const songs = opening.result.transaction('songs', 'readwrite').objectStore('songs');
        songs.openCursor().onsuccess = ({ target: { result: at } }) => {
          if (!at) return done();
          at.update({ ...at.value, deletedAt: Date.now() });
          at.continue();
        };
      };
      opening.onerror = () => fail(opening.error);
    })`);
  } catch (error) {
    await visit.end();
    throw error;
  }
  await visit.keep(process.env.ESSIM_KEPT_VISIT);
};
