import { seededRandom } from '@essim/core';
import { Visit } from './browser';
import { dieDuring, FEW_DEATHS } from './dying';
import { Stems } from './stems';

/** The tab dies in the middle of everything. The bench does the same a hundred times, at other moments. */

describe('a tab that dies', () => {
  let visit: Visit;
  const stems = new Stems();
  const random = seededRandom(20261130);
  beforeAll(async () => {
    visit = await Visit.again();
    await visit.openDemo('3');
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  it.each(FEW_DEATHS)('in the middle of %s loses at most what was in hand', async death => {
    const { lost } = await dieDuring(visit, death, stems, () => random.uniform());
    expect(lost).toEqual(expect.any(String));
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
