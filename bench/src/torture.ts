import { seededRandom } from '@essim/core';
import { Visit } from '../../e2e/browser';
import { DEATHS, dieDuring, type Death } from '../../e2e/dying';
import { Stems } from '../../e2e/stems';

/** The tab killed at so many random moments: `npm run bench -- torture 100 [seed]`. @returns how often each kind of work survived, and what was lost */
export async function torture(kills: number, seed = 1): Promise<Record<string, string | number>[]> {
  const stems = new Stems();
  const random = seededRandom(seed);
  const visit = await Visit.begin();
  const lost = new Map<Death, string[]>();
  const broken: string[] = [];
  try {
    await visit.openDemo('3');
    const home = visit.page.url();
    for (let i = 0; i < kills; i++) {
      // edits die most often, for most of a day is edits
      const death = random.uniform() < 0.4 ? 'edits' : DEATHS[Math.floor(random.uniform() * DEATHS.length)];
      try {
        const s = await dieDuring(visit, death, stems, () => random.uniform());
        lost.set(death, [...(lost.get(death) ?? []), s.lost]);
      } catch (error) {
        broken.push(`${i + 1}, ${death}: ${error instanceof Error ? error.message : String(error)}`);
        console.log(`  ${broken[broken.length - 1]}`);
        await visit.page.goto(home);
        await visit.notesReady();
      }
    }
  } finally {
    await visit.end();
    stems.clear();
  }
  return [
    ...[...lost].map(([death, list]) => ({
      'killed during': death,
      times: list.length,
      lost: [...new Set(list)].map(what => `${what} (${list.filter(l => l === what).length})`).join('; '),
    })),
    { 'killed during': 'broken', times: broken.length, lost: broken.join('; ') },
  ];
}
