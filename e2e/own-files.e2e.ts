import { readWav, writeWav } from '@essim/core';
import { Visit } from './browser';
import { Stems } from './stems';

describe('files of one’s own', () => {
  let visit: Visit;
  const stems = new Stems();
  beforeAll(async () => {
    visit = await Visit.begin();
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  const file = stems.file.bind(stems);
  /** Drops files on the shelf's input and brings them in. */
  const bring = async (...paths: string[]) => {
    await visit.page.goto(visit.address);
    await visit.give('[data-testid=files]', ...paths);
    await visit.bringIn();
  };
  const said = (text: string) => visit.noticed(text);
  const [lead] = stems.cut('lead', 5, 11);
  const backing = stems.cut('backing', 5, 11);

  it('brings a lead and a backing of another rate in, reads at once, and exports what nobody edited bit for bit', async () => {
    const bytes = writeWav({ sampleRate: 48000, channels: [lead] }, { format: 'int16' });
    const other = writeWav({ sampleRate: 44100, channels: backing }, { format: 'float32' });
    await bring(file('my lead.wav', bytes), file('my inst.wav', other));
    await visit.notesReady();
    expect((await visit.notes()).length).toBeGreaterThan(4);
    expect(await visit.text('aside[aria-label="Tracks and phrases"]')).toMatch(/my inst\s*backing/);
    await visit.press('Control+e');
    const out = readWav(await visit.downloaded());
    expect(out.sampleRate).toBe(48000);
    const before = readWav(bytes).channels[0];
    expect(out.channels[0].length).toBe(before.length);
    expect(out.channels[0].every((v, i) => v === before[i])).toBe(true);
  });

  it('names each file that cannot be used, and brings the others in', async () => {
    const good = writeWav({ sampleRate: 96000, channels: [lead.slice(0, 96000)] }, { format: 'int24' });
    await bring(
      file('good lead.wav', good),
      file('letter.wav', 'Dear choir, rehearsal is on Friday.'),
      file('empty.wav', ''),
      file('cut.wav', good.subarray(0, 9000)),
      file('silent.wav', writeWav({ sampleRate: 48000, channels: [new Float32Array(48000)] }, { format: 'int16' })),
    );
    await said('letter.wav could not be used: it is not a sound file Essim knows');
    await said('empty.wav could not be used: the file is empty');
    await said('cut.wav could not be used: it is cut short');
    await visit.notesReady();
    expect(await visit.text('header')).toContain('New song');
    await visit.page.goto(visit.address);
    await visit.until(
      'both songs are on the shelf',
      async () => (await visit.page.$$('[data-testid^="song-"]')).length === 2,
      5000,
    );
  });

  it('reads M4A where the browser can, and says what is wrong with one it cannot use', async () => {
    await visit.page.goto(visit.address);
    await visit.give(
      '[data-testid=files]',
      stems.fixture('lead-aac.m4a', 'lead.m4a'),
      stems.fixture('lossless.m4a', 'lossless.m4a'),
      stems.fixture('voice.m4a', 'broken.m4a'),
    );
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 20000 });
    const row = (name: string) => visit.text(`[data-testid="import-${name}"]`);
    // some builds of the browser come without AAC
    expect(await row('lead.m4a')).toMatch(/0:05 · AAC, 48 kHz|this browser cannot decode AAC; save it as WAV or FLAC/);
    expect(await row('lossless.m4a')).toContain(
      'Could not be used: this browser cannot decode the way its sound is stored; save it as WAV or FLAC',
    );
    expect(await row('broken.m4a')).toMatch(/Could not be used: (it is damaged|this browser cannot decode AAC)/);
    await visit.click('Cancel');
  });

  it('makes no song when nothing could be used', async () => {
    await bring(
      file('silent.wav', writeWav({ sampleRate: 48000, channels: [new Float32Array(48000)] }, { format: 'int16' })),
    );
    await said('silent.wav could not be used: it is silent');
    expect((await visit.page.$$('[data-testid^="song-"]')).length).toBe(2);
  });

  it('takes a song off the shelf and puts it back', async () => {
    await visit.page.goto(visit.address);
    await (await visit.page.waitForSelector('button[aria-label="More for New song"]'))!.click();
    await visit.click('Delete');
    await visit.until('it is gone', async () => (await visit.page.$$('[data-testid^="song-"]')).length === 1, 5000);
    await visit.click('Undo');
    await visit.until('it is back', async () => (await visit.page.$$('[data-testid^="song-"]')).length === 2, 5000);
  });

  it('says so when a song is not there', async () => {
    await visit.page.goto(`${visit.address}/song/nowhere/tune`);
    await visit.until(
      'the message is there',
      async () => (await visit.text('main')).includes('not on the shelf'),
      5000,
    );
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
