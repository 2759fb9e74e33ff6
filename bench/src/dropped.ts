import { Visit } from '../../e2e/browser';
import { Stems } from '../../e2e/stems';

/** What somebody sees who drops a take of three minutes: when its first phrases are there, and when all of it is. */

const MINUTE_OF_LEAD = 59;

/** @param minutes length of the take @param times how often it is dropped, each time in a browser that knows nothing */
export async function dropped(minutes: number, times: number): Promise<Record<string, string | number>[]> {
  const stems = new Stems();
  const [once] = stems.cut('lead', 0, MINUTE_OF_LEAD);
  const long = new Float32Array(Math.round((minutes * 60 * once.length) / MINUTE_OF_LEAD));
  for (let i = 0; i < long.length; i++) long[i] = once[i % once.length];
  const file = stems.wav('Long lead.wav', [long]);
  const rows: Record<string, string | number>[] = [];
  try {
    for (let i = 0; i < times; i++) {
      const visit = await Visit.begin();
      try {
        await visit.page.waitForSelector('[data-testid=files]');
        const begin = Date.now();
        const seconds = () => (Date.now() - begin) / 1000;
        await visit.give('[data-testid=files]', file);
        await visit.page.waitForSelector('[data-testid=heard]', { timeout: 60000 });
        const heard = seconds();
        await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
        const offered = seconds();
        // whoever drops it takes a moment to say yes: that is not the page's time
        await visit.page.click('[data-testid=bring-in]');
        const said = seconds();
        await visit.page.waitForSelector('[data-testid="cell-Long lead-1"]', { timeout: 60000 });
        const first = seconds();
        await visit.until('all is read', async () => !/reading \d/.test(await visit.text('main')), 120000);
        rows.push({
          'first phrases seen after, s': heard,
          'to be brought in after, s': offered,
          'ready to be edited, s after that': first - said,
          'all of it, s after that': seconds() - said,
        });
      } finally {
        await visit.end();
      }
    }
  } finally {
    stems.clear();
  }
  return rows;
}
