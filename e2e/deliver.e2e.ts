import { programmeOf, readWav, unpackFlac } from '@essim/core';
import { unzipSync } from 'fflate';
import { Visit } from './browser';

const panel = 'aside[aria-label=Panel]';
const text = (bytes: Uint8Array) => new TextDecoder().decode(bytes);

/** Finished work: measured, handed over, compared, and all of it with the server gone. */
describe('delivering, everywhere', () => {
  let visit: Visit;
  beforeAll(async () => {
    visit = await Visit.again();
    await visit.openDemo('8');
  });
  afterAll(() => visit.end());

  const tracks = async () => (await visit.song()).tracks;
  const exportLead = async () => {
    await visit.click('Export Lead');
    return visit.downloaded();
  };
  const choose = (name: string) =>
    visit.page.$$eval(
      `${panel} [role=radio]`,
      (list, name) => (list.find(b => b.textContent === name) as HTMLElement).click(),
      name,
    );

  it('tells loudness and true peak of every file before it is written, and the mix has them', async () => {
    await visit.page.waitForSelector('[data-testid=master]');
    await visit.click('Measure');
    await visit.page.waitForSelector('[aria-label="Loudness of what is written"] tbody tr:nth-child(4)', {
      timeout: 60000,
    });
    const rows = await visit.page.$$eval('[aria-label="Loudness of what is written"] tbody tr', list =>
      list.map(r => [...r.children].map(c => (c.textContent ?? '').replace('−', '-'))),
    );
    expect(rows.map(r => r[0])).toEqual(['Lead.wav', 'Double.wav', 'Piano bass brushes.wav', 'Ferry Lamp mix.wav']);
    await choose('32-bit float');
    await visit.click('Export the mix');
    const { channels, sampleRate, timeReference } = readWav(await visit.downloaded());
    const told = programmeOf(channels, sampleRate);
    expect(parseFloat(rows[3][1])).toBeCloseTo(told.integratedLufs, 0);
    expect(parseFloat(rows[3][3])).toBeCloseTo(told.truePeakDb, 0);
    expect(timeReference).toBe(0);
    // the master's fader moves all of it
    await visit.fader('Level', -6, '[data-testid=master]');
    await visit.saved();
    expect(await visit.text(panel)).toContain('The song has changed since');
    await visit.click('Export the mix');
    const lower = programmeOf(readWav(await visit.downloaded()).channels, sampleRate);
    expect(told.integratedLufs - lower.integratedLufs).toBeCloseTo(6, 1);
    await visit.press('Control+z');
    await visit.saved();
    expect(await visit.violations()).toEqual([]);
  });

  it('writes the loop alone, stamped, and as FLAC the same samples', async () => {
    const whole = readWav(await exportLead()).channels[0];
    await visit.click('leave a lamp');
    await visit.page.$$eval(`${panel} [aria-label="How much of the song"] [role=radio]`, l =>
      (l[1] as HTMLElement).click(),
    );
    const part = readWav(await exportLead());
    expect(part.timeReference).toBeGreaterThan(0);
    const [x] = part.channels;
    expect(x.length).toBeLessThan(8 * 48000);
    expect(x.every((v, i) => v === whole[part.timeReference! + i])).toBe(true);
    await choose('FLAC');
    await choose('24-bit');
    const flac = await unpackFlac(new Uint8Array(await exportLead()), 1e8);
    expect(flac.bits).toBe(24);
    expect(flac.channels[0]).toHaveLength(x.length);
    await choose('WAV');
    await choose('32-bit float');
    await choose('Whole song');
  });

  it('keeps a version, hears it beside what is there now, and goes back to it', async () => {
    const asSung = readWav(await exportLead()).channels[0];
    await visit.page.type('[aria-label="Name of the version"]', 'As it came');
    await visit.page.keyboard.press('Enter');
    await visit.page.waitForSelector('[aria-label="Kept versions"] li');
    await visit.desk('3');
    await visit.page.focus('[data-testid=field]');
    await visit.press('Control+a');
    await visit.press('s');
    await visit.saved();
    await visit.desk('8');
    const settled = readWav(await exportLead()).channels[0];
    expect(settled.some((v, i) => v !== asSung[i])).toBe(true);
    await visit.click('Hear', '*[@aria-label="Kept versions"]//button');
    const heard = readWav(await exportLead()).channels[0];
    expect(heard.every((v, i) => v === asSung[i])).toBe(true);
    // nothing of it is stored: it is there again as it was
    await visit.click('Hearing it');
    const again = readWav(await exportLead()).channels[0];
    expect(again.every((v, i) => v === settled[i])).toBe(true);
    await visit.click('Go back');
    await visit.saved();
    expect(Object.keys((await tracks())[0].takes[0].edits)).toHaveLength(0);
    // any moment of what was done
    await visit.press('Alt+h');
    await visit.page.waitForSelector('[aria-label="Undo history"]');
    const done = await visit.page.$$eval('[aria-label="Undo history"] button', l => l.map(b => b.textContent ?? ''));
    expect(done[0]).toMatch(/^Back to version As it came/);
    await visit.click('Settle', 'ol[@aria-label="Undo history"]//button');
    await visit.press('Escape');
    await visit.saved();
    expect(Object.keys((await tracks())[0].takes[0].edits).length).toBeGreaterThan(40);
  });

  it('bounces the lead; the bounce sounds like it, the original opens again with its edits', async () => {
    const before = readWav(await exportLead()).channels[0];
    await visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());
    await visit.press('b');
    await visit.page.waitForSelector('[data-testid="track-Lead bounced"]', { timeout: 30000 });
    await visit.allRead();
    await visit.page.click('[data-testid="mix-Lead bounced"] button[aria-pressed]');
    await visit.click('Export Lead bounced');
    const bounced = readWav(await visit.downloaded()).channels[0];
    let off = bounced.length === before.length ? 0 : NaN;
    for (let i = 0; i < before.length; i++) if (bounced[i] !== before[i]) off++;
    expect(off).toBe(0);
    await visit.click('Open Lead again');
    await visit.saved();
    const [lead, made] = await tracks();
    expect([lead.mute, made.mute]).toEqual([false, true]);
    expect(Object.keys(lead.takes[0].edits).length).toBeGreaterThan(40);
  });

  it('tells the client what was done', async () => {
    await visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());
    await visit.press('r');
    const files = unzipSync(await visit.downloaded());
    const report = JSON.parse(text(files['report.json'])) as { phrases: { track: string; changed: number }[] };
    expect(report.phrases.filter(p => p.track === 'Lead').every(p => p.changed > 0)).toBe(true);
    expect(text(files['report.html'])).toContain('<svg');
  });

  it('helps with each desk, and gives a command another key', async () => {
    await visit.desk('3');
    await visit.press('?');
    await visit.page.waitForSelector('[data-testid=help-commands]');
    expect(await visit.violations()).toEqual([]);
    await visit.page.click('[aria-label^="Key of Settle on the nearest allowed pitch"]');
    await visit.press('n');
    await visit.until('it says whose that is', async () => /N is “/.test(await visit.text('[role=alert]')));
    await visit.click('Take it');
    await visit.press('Escape');
    await visit.page.waitForSelector('[data-testid=help-commands]', { hidden: true });
    await visit.page.waitForFunction('!document.querySelector("[role=dialog]")');
    await visit.page.click('[data-testid="track-Lead"] button[title]');
    await visit.page.waitForSelector('[data-testid="track-Lead"] button[title][aria-pressed=true]');
    await visit.page.focus('[data-testid=field]');
    await visit.press('Control+a');
    await visit.press('u');
    await visit.saved();
    expect(Object.keys((await tracks())[0].takes[0].edits)).toHaveLength(0);
    await visit.press('n');
    await visit.saved();
    expect(Object.keys((await tracks())[0].takes[0].edits).length).toBeGreaterThan(40);
    await visit.press('F1');
    await visit.click('All as they came');
    await visit.click('Close');
  });

  it('goes on with the server gone: reloaded, edited, aligned, recorded and exported', async () => {
    await visit.page.waitForFunction(async () => !!(await navigator.serviceWorker.getRegistration())?.active, {
      timeout: 60000,
    });
    await visit.saved();
    visit.stopServer();
    await visit.page.reload();
    await visit.notesReady();
    await visit.allRead();
    expect(await visit.page.evaluate(() => crossOriginIsolated)).toBe(true);
    await visit.desk('6');
    await visit.click('Align');
    await visit.until('it is aligned', async () => !!(await tracks()).find(t => t.name === 'Double')!.found, 60000);
    await visit.desk('8');
    await visit.click('Export the mix');
    expect(readWav(await visit.downloaded()).channels).toHaveLength(2);
    await visit.click('Save the bundle');
    expect(Object.keys(unzipSync(await visit.downloaded()))).toContain('song.json');
    // to the shelf, and a song that begins by recording
    await visit.press('Control+o');
    await visit.page.waitForSelector('[data-testid=empty-song]');
    await visit.page.click('[data-testid=empty-song]');
    await visit.until('there is an empty track', async () => (await visit.text('body')).includes('No takes yet'));
    await visit.press('r');
    await visit.page.waitForSelector('select[aria-label="Microphone"]');
    await visit.page.select('select[aria-label="Microphone"]', 'simulated');
    await visit.page.click('[data-testid=record]');
    await visit.until(
      'it records',
      async () => /Recording\./.test(await visit.text('section[aria-label=Recording]')),
      30000,
    );
    await new Promise(r => setTimeout(r, 9000));
    await visit.page.click('[data-testid=record]');
    await visit.page.waitForSelector('[data-testid="take-Take 1"]', { timeout: 40000 });
  });
});
