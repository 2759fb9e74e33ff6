import { seededRandom } from '@essim/core';
import { damaged, fuzz, readers } from './fuzz';

jest.setTimeout(60000);

it('every reader bears damaged input: it says what is wrong, soon', async () => {
  const list = await readers();
  expect(await fuzz(list, 150, Number(process.env.SEED ?? 7))).toEqual([]);
  // what is whole is read
  for (const { name, sound, read } of list)
    for (const bytes of sound)
      await expect(Promise.resolve().then(() => read(bytes.slice())))
        .resolves.toBeDefined()
        .catch((error: unknown) => {
          throw new Error(`${name}: ${String(error)}`);
        });
});

it('damage is damage, and a stumbling reader is found', async () => {
  const sound = Uint8Array.from({ length: 200 }, (_, i) => i);
  const random = seededRandom(1);
  const changed = Array.from({ length: 50 }, () => damaged(sound, random)).filter(
    d => d.length !== sound.length || d.some((v, i) => v !== sound[i]),
  );
  expect(changed.length).toBeGreaterThan(45);
  const bad = {
    name: 'bad',
    sound: [sound],
    read: (b: Uint8Array) => {
      if (b.length < 150) (null as unknown as { x(): void }).x();
      if (b[0]) throw new Error('');
    },
  };
  const faults = await fuzz([bad], 200, 3);
  expect(faults.map(f => f.why.slice(0, 9)).sort()).toEqual(['TypeError', 'nothing i']);
});
