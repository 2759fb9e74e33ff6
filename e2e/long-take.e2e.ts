import { Visit } from './browser';
import { Stems } from './stems';

/** A take of several minutes: its first phrases are worked on while the rest is read. */
describe('a long take', () => {
  let visit: Visit;
  const stems = new Stems();
  beforeAll(async () => {
    visit = await Visit.begin();
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  /** The lead, so many times over. */
  const repeated = (times: number) => {
    const [once] = stems.cut('lead', 0, 59);
    const out = new Float32Array(once.length * times);
    for (let i = 0; i < times; i++) out.set(once, i * once.length);
    return [out];
  };
  const restOfVoice = () => visit.text('main').then(t => t.includes('Reading the rest of the voice'));

  it('shows its first phrases to edit while the rest is read, and keeps what was done', async () => {
    await visit.drop('[data-testid=files]', stems.wav('Long lead.wav', repeated(4)));
    // what is in it is seen while it is said what it is to be
    await visit.page.waitForSelector('[data-testid=heard]', { timeout: 20000 });
    expect(await visit.text('[data-testid=heard]')).toMatch(/\d\d notes, \S+ to \S+\s*in the first 0:[1-4]\d/);
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-Long lead"]', { timeout: 20000 });
    await visit.desk('3');
    await visit.notesReady();
    // the first note is moved a step before the rest is there
    await visit.page.$eval('[data-testid=notes] tbody button', b => (b as HTMLElement).click());
    await visit.press('ArrowUp');
    await visit.until('it is moved', async () => (await visit.notes())[0].meant !== '', 5000);
    expect(await restOfVoice()).toBe(true);
    const early = await visit.notes();
    expect(early[early.length - 1].start).toBeLessThan(45);
    await visit.press('Control+e');
    await visit.noticed('still being read');
    await visit.until('all is read', async () => !(await restOfVoice()), 90000);
    // the table of notes waits until what is seen is drawn
    await visit.until('the rest is listed', async () => (await visit.notes()).length > 3 * early.length, 10000);
    const all = await visit.notes();
    expect(all[0].meant).toBe(early[0].meant);
    expect(Math.abs(all[0].start - early[0].start)).toBeLessThan(0.05);
  });

  it('lets the next song be read when one is left while it is read', async () => {
    await visit.page.click('a[href="/"]');
    await visit.page.waitForSelector('[data-testid=files]');
    await visit.drop('[data-testid=files]', stems.wav('Longer lead.wav', repeated(2)));
    await visit.bringIn();
    const tracks = 'aside[aria-label="Tracks and phrases"]';
    await visit.page.waitForSelector(tracks, { timeout: 60000 });
    await visit.until('it is being read', async () => /reading \d/.test(await visit.text(tracks)));
    await visit.page.click('a[href="/"]');
    await visit.page.waitForSelector('[data-testid=files]');
    await visit.drop('[data-testid=files]', stems.wav('Short lead.wav', stems.cut('lead', 5, 16.2)));
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-Short lead"]', { timeout: 60000 });
    await visit.desk('3');
    await visit.notesReady();
    await visit.allRead();
  });
});
