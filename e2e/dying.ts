import type { Visit } from './browser';
import type { Stems } from './stems';

/**
 * A tab that is killed in the middle of something, at a moment nobody chose, and what is there afterwards: everything but what was in
 * hand. A few times in a journey, a hundred times in the bench (`npm run bench -- torture`).
 */

export const DEATHS = ['edits', 'a drag', 'an import', 'a first reading', 'a recording'] as const;
/** Those that a journey dies of; the bench knows them all. */
export const FEW_DEATHS: readonly Death[] = ['edits', 'an import', 'a recording'];
export type Death = (typeof DEATHS)[number];

/** What a death left. Throws when more is gone than was in hand, or the song does not open. */
export interface Survived {
  death: Death;
  /** How long into it, ms. */
  after: number;
  /** What was lost of what had been done, in words. */
  lost: string;
}

const pause = (ms: number) => new Promise(r => setTimeout(r, ms));
const field = '[data-testid=field]';

/** Entries of the open song's journal, as they are stored. */
const journalLength = (visit: Visit): Promise<number> =>
  visit.page.evaluate(
    id =>
      new Promise<number>((resolve, reject) => {
        const opening = indexedDB.open('essim');
        opening.onerror = () => reject(opening.error as Error);
        opening.onsuccess = () => {
          const count = opening.result.transaction('journal').objectStore('journal').index('songId').count(id);
          count.onsuccess = () => {
            opening.result.close();
            resolve(count.result);
          };
        };
      }),
    /\/song\/([^/]+)/.exec(visit.page.url())![1],
  );

/** The song is there, can be worked on, and its last step can be taken back and done again. */
async function requireWhole(visit: Visit): Promise<void> {
  await visit.page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 60000 });
  const said = await visit.notices();
  if (/set aside|could not be|damaged|not on the shelf/.test(said)) throw new Error(`after the tab died: ${said}`);
  if (await visit.page.$('[aria-label="Undo"]:not(:disabled)')) {
    await visit.press('Control+z');
    await visit.saved();
    await visit.press('Control+Shift+z');
    await visit.saved();
  }
}

/** Notes are moved one after the other, each a step of its own, until the tab dies. */
async function edits(visit: Visit, random: () => number): Promise<string> {
  await visit.page.focus(field);
  await visit.saved();
  const before = await journalLength(visit);
  const many = 2 + Math.floor(8 * random());
  const certain = Math.floor(many * random());
  const pressed: number[] = [];
  for (let i = 0; i < many; i++) {
    await visit.press('ArrowRight');
    await visit.press(random() < 0.5 ? 'ArrowUp' : 'ArrowDown');
    pressed.push(Date.now());
    // what is said to be saved is never lost
    if (pressed.length === certain) await visit.saved();
    await pause(20 + 90 * random());
  }
  const killed = Date.now();
  await visit.die();
  await requireWhole(visit);
  const lost = before + many - (await journalLength(visit));
  if (lost <= 0) return 'nothing';
  // what was done a moment ago may be on its way still: one write is under way, and what is done meanwhile is in the next
  const age = killed - pressed[many - lost];
  if (lost > many - certain) throw new Error(`${lost} of ${many} edits are gone; ${certain} of them were saved`);
  return `edits of the last ${Math.ceil(age / 100) / 10} s`;
}

/** A note is dragged and not let go. */
async function drag(visit: Visit, random: () => number): Promise<string> {
  await visit.page.focus(field);
  await visit.press('ArrowRight');
  await visit.saved();
  const before = await journalLength(visit);
  const f = await visit.field();
  const [x, y] = [f.x + f.width * (0.3 + 0.4 * random()), f.y + f.height * 0.5];
  await visit.page.mouse.move(x, y);
  await visit.page.mouse.down();
  for (let i = 1; i <= 6; i++) await visit.page.mouse.move(x + 9 * i, y - 7 * i);
  await visit.die();
  await requireWhole(visit);
  const now = await journalLength(visit);
  if (now !== before) throw new Error(`a drag that was not let go left ${now - before} steps`);
  return 'the drag';
}

/** A song is made of two files; the tab dies before, while or after they are kept. */
async function importing(visit: Visit, random: () => number, stems: Stems, shelf: string): Promise<string> {
  const song = visit.page.url();
  await visit.page.goto(shelf);
  const name = `Quay ${Math.floor(1e6 * random())}`;
  const files = ['lead', 'double'].map((n, i) => stems.wav(`${name} ${n}.wav`, stems.cut(n, 20 + i, 26 + i)));
  await visit.give('[data-testid=files]', ...files);
  await visit.page.waitForSelector('[data-testid=bring-in]', { timeout: 30000 });
  if (random() < 0.7) await visit.bringIn();
  await pause(900 * random());
  await visit.die(shelf);
  await visit.page.waitForSelector('[data-testid=files]', { timeout: 30000 });
  await visit.page.goto(song);
  await requireWhole(visit);
  return 'at most the import';
}

/** A take is read for the first time; it is read when the song is opened again. */
async function reading(visit: Visit, random: () => number, stems: Stems, shelf: string): Promise<string> {
  const song = visit.page.url();
  await visit.page.goto(shelf);
  const file = stems.wav(`Ferry ${Math.floor(1e6 * random())}.wav`, stems.cut('lead', 0, 50));
  await visit.give('[data-testid=files]', file);
  await visit.bringIn();
  await visit.page.waitForSelector('aside[aria-label="Tracks and phrases"] li', { timeout: 30000 });
  await pause(1500 * random());
  await visit.die();
  await visit.notesReady();
  await requireWhole(visit);
  await visit.page.goto(song);
  await visit.page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 60000 });
  return 'nothing';
}

/** The simulated microphone is recorded; what was sung until a second before is a take. */
async function recording(visit: Visit, random: () => number): Promise<string> {
  const desk = visit.page.url();
  await visit.desk('1');
  const takes = (await visit.song()).tracks[0].takes.length;
  await visit.page.click('[data-testid="comp-1"]');
  await visit.press('r');
  await visit.page.select('select[aria-label="Microphone"]', 'simulated');
  await visit.page.click('[data-testid=record]');
  await visit.page.waitForSelector('[data-testid=kept]', { timeout: 60000 });
  await pause(2500 * random());
  await visit.die();
  await visit.page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 60000 });
  await visit.until('what was sung is a take', async () => (await visit.song()).tracks[0].takes.length > takes, 30000);
  await visit.saved();
  await visit.page.goto(desk);
  await requireWhole(visit);
  return 'at most a second of what was sung';
}

type Dying = (visit: Visit, random: () => number, stems: Stems, shelf: string) => Promise<string>;
const DYING: Record<Death, Dying> = {
  edits,
  'a drag': drag,
  'an import': importing,
  'a first reading': reading,
  'a recording': recording,
};

/** The tab dies once, while something of a kind goes on in the demo song at the Tune desk. @param random 0..1 @throws Error when too much is gone */
export async function dieDuring(visit: Visit, death: Death, stems: Stems, random: () => number): Promise<Survived> {
  const begun = Date.now();
  const shelf = new URL('/', visit.page.url()).href;
  const lost = await DYING[death](visit, random, stems, shelf);
  return { death, after: Date.now() - begun, lost };
}
