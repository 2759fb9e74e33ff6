import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle } from 'puppeteer-core';
import { readWav, writeWav } from '@essim/core';
import { demoFolder, root, Visit } from './browser';

describe('files of one’s own', () => {
  let visit: Visit;
  const folder = mkdtempSync(join(tmpdir(), 'essim-files-'));
  beforeAll(async () => {
    visit = await Visit.begin();
  });
  afterAll(async () => {
    await visit.end();
    rmSync(folder, { recursive: true, force: true });
  });

  const file = (name: string, bytes: Uint8Array | string) => {
    writeFileSync(join(folder, name), bytes);
    return join(folder, name);
  };
  /** Drops files on the shelf's input and brings them in. */
  const bring = async (...paths: string[]) => {
    await visit.page.goto(visit.address);
    const input = (await visit.page.waitForSelector('[data-testid=files]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(...paths);
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
    await visit.page.click('[data-testid=bring-in]');
  };
  const said = (text: string) =>
    visit.until(
      `"${text}" is said`,
      async () =>
        (await visit.page.$$eval('[data-sonner-toast]', list => list.map(e => e.textContent).join(' '))).includes(text),
      15000,
    );

  const lead = readWav(new Uint8Array(readFileSync(join(demoFolder, 'lead.wav')))).channels[0].slice(
    48000 * 5,
    48000 * 11,
  );
  const backing = readWav(new Uint8Array(readFileSync(join(demoFolder, 'backing.wav')))).channels.map(c =>
    c.slice(48000 * 5, 48000 * 11),
  );

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
    expect(await visit.text('header')).toContain('good lead');
    await visit.page.goto(visit.address);
    await visit.until(
      'both songs are on the shelf',
      async () => (await visit.page.$$('[data-testid^="song-"]')).length === 2,
      5000,
    );
  });

  it('says what is wrong with a compressed file', async () => {
    await visit.page.goto(visit.address);
    const input = (await visit.page.waitForSelector('[data-testid=files]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(join(root, 'e2e/fixtures/voice.m4a'));
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 20000 });
    expect(await visit.text('[data-testid="import-voice.m4a"]')).toMatch(
      /Could not be used: (it is damaged|this browser cannot decode AAC)[^.]*\.$/,
    );
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
    await (await visit.page.waitForSelector('button[aria-label="More for good lead"]'))!.click();
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
