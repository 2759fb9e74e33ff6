import { join } from 'node:path';
import { readWav, writeWav } from '@essim/core';
import { Visit } from './browser';
import { RATE, Stems } from './stems';

/** From a folder of stems to a set-up song with a comped lead. */
describe('gathering a song', () => {
  let visit: Visit;
  const stems = new Stems();
  beforeAll(async () => {
    visit = await Visit.begin();
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  const FROM = 5;
  const TO = 16.2;
  const cut = (name: string, to = TO) => stems.cut(name, FROM, to);
  const wav = stems.wav.bind(stems);
  const file = stems.file.bind(stems);
  const side = () => visit.text('aside[aria-label="Tracks and phrases"]');
  const panel = () => visit.text('aside[aria-label=Panel]');
  const cellsOf = (take: string) =>
    visit.page.$$eval(`[data-testid="take-${take}"] [data-testid^="cell-"]`, list =>
      list.map(e => ({ label: e.getAttribute('aria-label')!, picked: e.getAttribute('aria-pressed') === 'true' })),
    );
  const comp = () =>
    visit.page.$$eval('[data-testid^="comp-"]', list => list.map(e => e.getAttribute('title')!.split(': ')[1]));
  it('reads a folder of good and broken files, guesses what each is, and names the broken ones', async () => {
    const lead = cut('lead');
    await visit.give(
      '[data-testid=files]',
      wav('lead t1.wav', lead),
      wav('lead t2.wav', cut('lead-b')),
      wav('lead t3.wav', cut('lead-c'), { format: 'float32' }),
      wav('dbl L.wav', cut('double'), { timeReference: 48000 * 3600 }),
      stems.fixture('double.flac', 'dbl R.flac'),
      stems.fixture('lead-b.mp3', 'harm hi.mp3'),
      stems.fixture('lead-c.ogg', 'harm lo.ogg'),
      file('inst.wav', writeWav({ sampleRate: 44100, channels: cut('backing', 40) }, { format: 'int16' })),
      file('notes for Friday.txt', 'Bring water.'),
      file('cut.wav', writeWav({ sampleRate: RATE, channels: lead }, { format: 'int16' }).subarray(0, 40000)),
      wav('silent vox.wav', [new Float32Array(RATE)]),
    );
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 90000 });
    const row = (name: string) => visit.text(`[data-testid="import-${name}"]`);
    expect(await visit.violations()).toEqual([]);
    expect(await row('notes for Friday.txt')).toContain('not a sound file Essim knows');
    expect(await row('cut.wav')).toContain('cut short');
    expect(await row('silent vox.wav')).toContain('silent');
    expect(await row('harm hi.mp3')).toContain('MP3');
    expect(await row('dbl R.flac')).toContain('FLAC');
    expect(await row('lead t2.wav')).toContain('take 2');
    const role = (name: string) =>
      visit.page.$eval(`select[aria-label="Role of ${name}"]`, e => (e as HTMLSelectElement).value);
    expect(await role('lead t1.wav')).toBe('lead');
    expect(await role('dbl L.wav')).toBe('double');
    expect(await role('harm lo.ogg')).toBe('harmony');
    expect(await role('inst.wav')).toBe('backing');
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-lead t1"]', { timeout: 20000 });
    const names = await visit.page.$$eval('[data-testid^="track-"]:not(input)', list =>
      list.map(e => e.getAttribute('data-testid')!.slice(6)),
    );
    expect(names).toEqual(['Lead', 'dbl L', 'dbl R', 'harm hi', 'harm lo', 'inst']);
    await visit.allRead();
    expect(await side()).toContain('follows Lead');
    expect(await cellsOf('lead t2')).toHaveLength(2);
    expect(await visit.violations()).toEqual([]);
  });

  it('sets the song up from its backing', async () => {
    await visit.page.waitForSelector('[data-testid=set-up]', { timeout: 60000 });
    await visit.page.click('[data-testid=set-up]');
    const tempo = await visit.page.waitForSelector('input[aria-label="Tempo in beats a minute"]');
    // the backing was cut from 48 kHz samples and labelled 44.1 kHz: it plays slower by that ratio
    const bpm = Number(await tempo!.evaluate(e => (e as HTMLInputElement).value));
    const wanted = (92 * 44.1) / 48;
    expect(Math.min(...[0.5, 1, 2].map(k => Math.abs(bpm - wanted * k) / (wanted * k)))).toBeLessThan(0.01);
    await visit.until(
      'chords are there',
      async () => (await visit.page.$$('[data-testid=chords] button')).length > 1,
      5000,
    );
    await visit.saved();
  });

  it('suggests a comp, and lets every choice be changed', async () => {
    expect(await comp()).toEqual(['lead t1', 'lead t1']);
    await visit.click('Suggest a comp');
    await visit.saved();
    const suggested = await comp();
    // whatever it chose, the first phrase is now taken from another take by one click, and joined where the rest is
    const other = ['lead t1', 'lead t2', 'lead t3'].find(t => t !== suggested[0])!;
    await visit.page.click(`[data-testid="cell-${other}-1"]`);
    await visit.until('the cell is in the comp', async () => (await comp())[0] === other, 5000);
    expect((await cellsOf(other))[0].picked).toBe(true);
    expect((await cellsOf(other))[0].label).toMatch(/in tune \d+ %, in time \d+ %, in the comp/);
    expect(await panel()).toMatch(/% of steady time within 20 cents/);
    await visit.press('Control+z');
    await visit.until('it is undone', async () => (await comp())[0] === suggested[0], 5000);
    await visit.press('Control+y');
    await visit.until('it is done again', async () => (await comp())[0] === other, 5000);
  });

  it('takes a span by dragging, and moves the join', async () => {
    const take = (await comp())[1] === 'lead t2' ? 'lead t3' : 'lead t2';
    const box = (await (await visit.page.$(`[data-testid="cell-${take}-2"]`))!.boundingBox())!;
    await visit.page.mouse.move(box.x + box.width * 0.5, box.y + 20);
    await visit.page.mouse.down();
    await visit.page.mouse.move(box.x + box.width * 0.7, box.y + 22, { steps: 4 });
    await visit.page.mouse.move(box.x + box.width * 0.8, box.y + 22, { steps: 4 });
    await visit.page.mouse.up();
    await visit.until('the phrase is made of two', async () => (await comp())[1].includes(','), 5000);
    const joins = () =>
      visit.page.$$eval('[data-testid^="join-"]', list => list.map(e => Number(e.getAttribute('aria-valuenow'))));
    const before = await joins();
    await (await visit.page.$(`[data-testid="join-${before.length}"]`))!.focus();
    await visit.press('ArrowLeft');
    await visit.until(
      'the join has moved',
      async () => Math.abs((await joins()).at(-1)! - before.at(-1)! + 0.01) < 0.002,
      5000,
    );
    await visit.saved();
  });

  it('spreads pasted words over the notes', async () => {
    await visit.click('Words');
    await visit.page.waitForSelector('textarea');
    await visit.page.$eval('textarea', e => ((e as HTMLTextAreaElement).value = ''));
    await visit.page.type('textarea', 'leave a lantern burning low\ndown along the harbour wall');
    await visit.page.click('[data-testid=spread-words]');
    await visit.until('the list shows them', async () => (await side()).includes('down along the harbour wall'), 10000);
    await visit.saved();
  });

  it('notes a remark, names and checks a phrase', async () => {
    await visit.page.click('[data-testid="cell-lead t1-1"]');
    await visit.page.type('input[aria-label="New remark"]', 'warmer, please');
    await visit.page.type('input[aria-label="Author of the remark"]', 'Mira');
    await visit.page.click('aside[aria-label=Panel] form button');
    await visit.until('the remark is there', async () => (await panel()).includes('warmer, please'), 5000);
    await visit.page.click('button[aria-label="Phrase 1 checked"]');
    await visit.until('half is checked', async () => (await side()).includes('50 % checked'), 5000);
    await visit.saved();
  });

  it('replaces a recording by a newer version of its file', async () => {
    const [lead] = cut('lead');
    const newer = new Float32Array(lead.length + 9600);
    newer.set(
      lead.map(v => v * 0.5),
      9600,
    );
    await visit.give('[data-testid="replace-lead t1"]', wav('lead t1 v2.wav', [newer]));
    await visit.page.waitForSelector('[data-testid=replaced]', { timeout: 60000 });
    expect(await visit.text('[data-testid=replaced]')).toMatch(/200 ms later in its file, 6\.0 dB softer/);
    await visit.give('[data-testid="replace-lead t2"]', join(stems.folder, 'inst.wav'));
    await visit.noticed('is not the performance of lead t2', 60000);
    await visit.allRead();
  });

  it('records a phrase with the simulated microphone, round the loop into takes', async () => {
    await visit.page.click('[data-testid="comp-1"]');
    await visit.press('r');
    await visit.page.select('select[aria-label="Microphone"]', 'simulated');
    await visit.page.click('section[aria-label=Recording] input[type=checkbox]');
    await visit.page.click('[data-testid=record]');
    await visit.until('it records', async () =>
      (await visit.text('section[aria-label=Recording]')).includes('Recording round'),
    );
    expect(await visit.violations()).toEqual([]);
    await visit.until(
      'the second round has begun',
      async () => (await visit.text('section[aria-label=Recording]')).includes('Recording round 2'),
      60000,
    );
    await new Promise(r => setTimeout(r, 1500));
    await visit.page.click('[data-testid=record]');
    await visit.page.waitForSelector('[data-testid="take-Take 5"]', { timeout: 20000 });
    await visit.allRead();
    expect(await visit.page.$('[data-testid="take-Take 4"]')).not.toBeNull();
    await visit.saved();
  });

  it('keeps what was sung until the tab died', async () => {
    await visit.page.click('[data-testid="comp-1"]');
    await visit.page.click('[data-testid=record]');
    await visit.page.waitForSelector('[data-testid=kept]', { timeout: 60000 });
    await visit.page.reload();
    await visit.page.waitForSelector('[data-testid="take-Take 6"]', { timeout: 30000 });
  });

  it('has everything still there after a reload', async () => {
    await visit.saved();
    const before = { comp: await comp(), side: await side() };
    await visit.page.reload();
    await visit.page.waitForSelector('[data-testid="take-Take 6"]', { timeout: 30000 });
    await visit.allRead();
    expect(await comp()).toEqual(before.comp);
    expect(await side()).toContain('50 % checked');
    expect(await panel()).toContain('warmer, please');
    await visit.press('Control+e');
    const out = readWav(await visit.downloaded());
    expect(out.channels[0].length).toBeGreaterThan(RATE * 10);
  });

  it('orders, duplicates and deletes tracks, and refuses a circle of followers', async () => {
    const open = async (track: string) => {
      await visit.page.click(`button[aria-label="Settings of ${track}"]`);
      await visit.page.waitForSelector(`section[aria-label="Settings of ${track}"]`);
    };
    await open('Lead');
    const follows = `section[aria-label="Settings of Lead"] select`;
    const double = await visit.page.$$eval(
      `${follows} option`,
      list => (list.find(o => o.textContent === 'dbl L') as HTMLOptionElement).value,
    );
    const selects = await visit.page.$$(follows);
    await selects[1].select(double);
    await visit.noticed('already follows Lead', 5000);
    await visit.click('Duplicate');
    await visit.until(
      'the copy is there',
      async () => (await visit.page.$('[data-testid="track-Lead copy"]')) !== null,
      5000,
    );
    await open('Lead copy');
    await visit.click('Delete', 'section//button');
    await visit.until('it is gone', async () => (await visit.page.$('[data-testid="track-Lead copy"]')) === null, 5000);
    await visit.saved();
  });

  it('shows the song on the shelf with its length, tracks and size, and duplicates it', async () => {
    await visit.page.goto(visit.address);
    const card = await visit.page.waitForSelector('[data-testid^="song-"]');
    await visit.until(
      'its size is shown',
      async () => /0:3\d · 6 tracks · \d+ MB/.test((await card!.evaluate(e => e.textContent)) ?? ''),
      5000,
    );
    expect(await visit.text('[data-testid=space]')).toMatch(/MB used, .* free/);
    await (await visit.page.waitForSelector('button[aria-label^="More for"]'))!.click();
    await visit.click('Duplicate');
    await visit.until('there are two', async () => (await visit.page.$$('[data-testid^="song-"]')).length === 2, 5000);
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
