/** Before all journeys: one visit in which the demo song is opened and read, so that not each of them has to wait for that. */
require('tsx/cjs');
const { Visit } = require('./browser.ts');

module.exports = async () => {
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
  const kept = await visit.keep();
  process.env.ESSIM_KEPT_VISIT = JSON.stringify(kept);
  globalThis.essimKeptProfile = kept.profile;
};
