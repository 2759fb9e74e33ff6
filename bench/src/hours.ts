import { seededRandom } from '@essim/core';
import { Visit } from '../../e2e/browser';
import { memoryBelow } from './long-song';

/**
 * Scripted editing for as long as one likes, and what grows: `npm run bench -- hours 480` edits for eight hours. Notes are settled, moved,
 * turned down, taken back and done again, desks changed, phrases played, the song left and opened again.
 */
export async function hours(minutes: number, seed = 1): Promise<Record<string, string | number>[]> {
  const random = seededRandom(seed);
  const visit = await Visit.begin();
  const rows: Record<string, string | number>[] = [];
  let edits = 0;
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random.uniform() * list.length)];
  const told = async () => {
    const of = (await Promise.race([
      visit.page.evaluate('performance.measureUserAgentSpecificMemory().then(m => m.bytes / 2 ** 20)'),
      new Promise(r => setTimeout(() => r(NaN), 60000)),
    ])) as number;
    const { largest } = memoryBelow(visit.browser.process()!.pid!);
    const nodes = (await visit.page.evaluate('document.querySelectorAll("*").length')) as number;
    rows.push({
      minutes: (Date.now() - begun) / 60000,
      edits,
      'live MB': of,
      'page MB': largest,
      elements: nodes,
      problems: visit.problems.length,
    });
    console.log(rows[rows.length - 1]);
  };
  await visit.openDemo('3');
  const begun = Date.now();
  const end = begun + minutes * 60000;
  const every = Math.max(60000, (minutes * 60000) / 12);
  let next = begun;
  try {
    while (Date.now() < end) {
      if (Date.now() >= next) {
        await told();
        next += every;
      }
      const desk = pick(['3', '3', '3', '4', '5', '6']);
      await visit.desk(desk);
      await visit.page.focus('[data-testid=field]');
      for (let i = 0; i < 40; i++) {
        await visit.press(pick(['ArrowRight', 'ArrowRight', 'ArrowLeft', 'Shift+ArrowRight']));
        await visit.press(
          pick(
            desk === '3'
              ? ['s', 'ArrowUp', 'ArrowDown', 'u', 'Control+z', 'Control+Shift+z']
              : ['e', 'r', 'u', 'Control+z'],
          ),
        );
        edits++;
      }
      await visit.press('PageDown');
      await visit.press('Space');
      await new Promise(r => setTimeout(r, 700));
      await visit.press('Space');
      if (random.uniform() < 0.1) {
        const song = visit.page.url();
        await visit.page.goto(visit.address);
        await visit.page.waitForSelector('[data-testid=files]');
        await visit.page.goto(song);
        await visit.notesReady();
        await visit.allRead();
      }
    }
    await told();
  } finally {
    await visit.end();
  }
  return rows;
}
