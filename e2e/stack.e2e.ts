import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { noteName, readMelodies, readWav } from '@essim/core';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { xOf } from '../app/src/field/viewport';
import { mirrorAxes, mirrorLayout, offsetY } from '../app/src/field/draw/mirror';
import { Visit } from './browser';

const tracks = 'aside[aria-label="Tracks and phrases"]';
const panel = 'aside[aria-label=Panel]';

/** Stems of a zip by name. */
function stemsOf(bytes: Uint8Array): Map<string, Float32Array[]> {
  return new Map(Object.entries(unzipSync(bytes)).map(([name, wav]) => [name, readWav(wav).channels]));
}
const together = (text: string) => /(\d+) of (\d+)/.exec(text)!.slice(1).map(Number);

describe('a stack: from raw takes to finished stems', () => {
  let visit: Visit;
  let stems: Map<string, Float32Array[]>;
  beforeAll(async () => {
    visit = await Visit.again();
  });
  afterAll(() => visit.end());

  const edit = async (name: string) => {
    await visit.page.click(`[data-testid="track-${name}"] button[title]`);
    await visit.page.waitForSelector(`[data-testid="track-${name}"] button[title][aria-pressed=true]`);
  };
  const follower = async () => (await visit.song()).tracks.find(t => t.name === 'Double')!;

  it('opens the demo with its double unaligned and no harmony, and settles the lead', async () => {
    await visit.page.waitForSelector('[data-testid=open-demo]');
    await visit.page.click('[data-testid=open-demo]');
    await visit.notesReady();
    await visit.allRead();
    expect(await visit.text(tracks)).not.toMatch(/third|harmony/i);
    await visit.desk('3');
    await visit.page.waitForSelector('[data-testid=field]');
    await visit.page.focus('[data-testid=field]');
    await visit.press('Control+a');
    await visit.press('s');
    await visit.saved();
    expect((await visit.notes()).some(n => n.meant !== 'as sung')).toBe(true);
  });

  it('aligns the double: the desk says how, and every syllable comes together', async () => {
    await visit.desk('6');
    await visit.page.waitForSelector('section[aria-label="First steps"]');
    expect(await visit.text(tracks)).toMatch(/editing · follows Lead/);
    await visit.page.focus('[data-testid=field]');
    await visit.press('s');
    await visit.page.waitForSelector('[data-testid=together]', { timeout: 60000 });
    const report = together(await visit.text('[data-testid=together]'));
    expect(report[1]).toBeGreaterThan(35);
    expect(report[0] / report[1]).toBeGreaterThan(0.95);
    expect(await visit.page.$('section[aria-label="First steps"]')).toBeNull();
    expect(await visit.violations()).toEqual([]);
    // the report: every syllable, the worst first, as a table that can be taken along
    const rows = await visit.page.$$eval('table[aria-label^=Syllables] tbody tr', list => list.length);
    expect(rows).toBeGreaterThan(5);
    await visit.click('CSV');
    const csv = new TextDecoder()
      .decode(await visit.downloaded())
      .trim()
      .split('\n');
    expect(csv[0]).toContain('ms_before,ms_after,cents_before');
    expect(csv).toHaveLength(report[1] + 1);
    const { found, align } = await follower();
    expect(found!.points.length).toBeGreaterThan(100);
    expect(align).toMatchObject({ closeness: 100, lean: 0 });
  });

  it('follows more or less closely, bends no more than allowed, and leans in pitch and level', async () => {
    const line = async () => (await visit.notes()).map(n => n.start);
    const full = await line();
    await visit.fader('Closeness', 0);
    const sung = await line();
    await visit.fader('Closeness', 50);
    const half = await line();
    const off = full.map((t, i) => Math.abs(t - sung[i]));
    expect(Math.max(...off)).toBeGreaterThan(0.05);
    half.forEach((t, i) => expect(Math.abs(t - (full[i] + sung[i]) / 2)).toBeLessThan(0.012));
    await visit.fader('Closeness', 100);
    await visit.fader('Pitch lean', 60);
    await visit.fader('Level lean', 80);
    expect((await follower()).align).toMatchObject({ closeness: 100, lean: 60, levelLean: 80 });
  });

  it('ties a word by hand with the keys; a leaf dragged moves its word; both are taken back', async () => {
    await visit.click('ferry lamp oh shine');
    await visit.page.focus('[data-testid=field]');
    await visit.press('ArrowRight');
    await visit.press('t');
    await visit.until('it is tying', async () => (await visit.text(panel)).includes('Tying'));
    await visit.press('ArrowRight');
    await visit.press('ArrowLeft');
    await visit.press('Enter');
    await visit.until('it is tied', async () => ((await follower()).align?.ties.length ?? 0) === 1);
    await visit.until('the panel says so', async () => (await visit.text(panel)).includes('tied by hand'));
    await visit.click('Lock');
    await visit.until('it is locked', async () => (await follower()).align?.ties[0].locked === true);

    // the third leaf in view, where it is now: close to the middle of the lane
    await visit.press('ArrowRight');
    await visit.press('ArrowRight');
    const f = await visit.field();
    const layout = mirrorLayout(f.width, f.height);
    const notes = (await visit.notes()).filter(n => n.start > f.view.from && n.start + n.length < f.view.to);
    const leaf = notes[4];
    const x = f.x + xOf(f.view, layout, leaf.start + leaf.length / 2);
    await visit.page.mouse.move(x, f.y + offsetY(layout, 0));
    await visit.page.mouse.down();
    await visit.page.mouse.move(x, f.y + offsetY(layout, 0.03), { steps: 3 });
    await visit.page.mouse.move(x, f.y + offsetY(layout, 0.06), { steps: 3 });
    await visit.page.mouse.up();
    await visit.saved();
    expect((await follower()).align!.moved).toHaveLength(1);
    expect(await visit.text(panel)).toMatch(/(5\d|6\d) ms late/);
    expect(await visit.text(panel)).toMatch(/moved by hand/);
    await visit.press('Control+z');
    await visit.until('it is back', async () => (await follower()).align!.moved.length === 0);

    // a word dropped on the lead's
    const word = notes[2];
    const wordX = f.x + xOf(f.view, layout, word.start + word.length / 2);
    const axes = mirrorAxes(layout);
    await visit.page.mouse.move(wordX, f.y + axes.follower + 20);
    await visit.page.mouse.down();
    await visit.page.mouse.move(wordX, f.y + axes.lead - 10, { steps: 4 });
    await visit.page.mouse.up();
    await visit.until('it is tied', async () => ((await follower()).align?.ties.length ?? 0) === 2);
    await visit.press('Control+z');
    await visit.until('it is back', async () => ((await follower()).align?.ties.length ?? 0) === 1);
  });

  it('leaves a stretch as it was sung', async () => {
    await visit.press('u');
    await visit.until('it is kept', async () => (await follower()).align!.asSung.length === 1);
    expect(await visit.text(panel)).toContain('left as sung');
    await visit.press('u');
    await visit.until('it follows again', async () => (await follower()).align!.asSung.length === 0);
    expect(await visit.text('[data-testid=likeness]')).toMatch(/Likeness to Lead/);
  });

  it('makes a third above that is in the key, scatters it, and keeps what is set by hand', async () => {
    await visit.desk('7');
    await edit('Lead');
    await visit.page.waitForSelector('section[aria-label="First steps"]');
    await visit.click('Third above');
    await visit.page.waitForSelector('[data-testid="track-Third above"]');
    const row = () => visit.text('[data-testid="track-Third above"]');
    await visit.until('the part is there', async () => /editing.*100 %/.test(await row()), 30000);
    await visit.notesReady();
    const part = async () => (await visit.song()).tracks.find(t => t.name === 'Third above')!;
    const meant = (await visit.notes()).map(n => n.meant);
    expect(meant.length).toBeGreaterThan(50);
    for (const name of meant) expect(name).toMatch(/^(D|E|F♯|G|A|B|C♯)\d/);
    await visit.fader('Time', 100);
    await visit.fader('Pitch', 100);
    expect((await part()).part).toMatchObject({ by: 'steps', amount: 2, scatterTime: 100, scatterPitch: 100 });
    const before = (await part()).part!.seed;
    await visit.click('Draw again');
    await visit.until('another seed', async () => (await part()).part!.seed !== before);
    expect(await visit.violations()).toEqual([]);

    // one note by hand, at Tune
    await visit.desk('3');
    await visit.page.focus('[data-testid=field]');
    await visit.click('ferry lamp oh shine');
    await visit.page.focus('[data-testid=field]');
    await visit.press('ArrowRight');
    await visit.press('ArrowUp');
    await visit.saved();
    const own = (await part()).takes.flatMap(t => Object.values(t.edits));
    expect(own).toHaveLength(1);

    // the lead goes elsewhere: the part goes along, what was set by hand stays
    const others = (await visit.notes()).map(n => n.meant);
    await edit('Lead');
    await visit.page.focus('[data-testid=field]');
    await visit.press('Control+a');
    await visit.press('ArrowUp');
    await visit.saved();
    await edit('Third above');
    await visit.until('it went along', async () => {
      const now = (await visit.notes()).map(n => n.meant);
      const same = now.filter((m, i) => m === others[i]).length;
      return same === 1;
    });
    await edit('Lead');
    await visit.press('Control+z');
    await visit.saved();
    await visit.desk('7');
    await edit('Third above');
    await visit.until(
      'likeness is measured',
      async () => /on the whole/.test(await visit.text('[data-testid=likeness]')),
      60000,
    );
    expect(Number(/([\d.]+) on the whole/.exec(await visit.text('[data-testid=likeness]'))![1])).toBeLessThan(0.6);
  });

  it('leads two voices through the chords, one note another way, and takes them back', async () => {
    await edit('Lead');
    const before = (await visit.song()).tracks.length;
    await visit.click('Chords');
    await visit.press('Alt+c');
    await visit.page.waitForSelector('[data-testid="track-High"]');
    await visit.notesReady();
    await visit.saved();
    const now = await visit.song();
    expect(now.tracks).toHaveLength(before + 2);
    const [high, low] = ['High', 'Low'].map(name => now.tracks.find(t => t.name === name)!.part!);
    expect(high).toMatchObject({ by: 'chords', choir: low.choir });
    expect(high.low!).toBeGreaterThan(low.low!);
    for (const { meant } of await visit.notes()) expect(meant).toMatch(/^(D|E|F♯|G|A|B|C♯)\d/);
    await visit.page.focus('[data-testid=field]');
    await visit.press('ArrowRight');
    const meant = async () => (await visit.notes()).map(n => n.meant);
    const was = await meant();
    await visit.press('Alt+w');
    await visit.until('one note goes elsewhere', async () => (await meant()).some((m, i) => m !== was[i]));
    expect((await meant()).filter((m, i) => m !== was[i])).toHaveLength(1);
    expect(await visit.text(panel)).toContain('1 note is set by hand');
    expect(await visit.violations()).toEqual([]);
    await visit.press('Control+z');
    await visit.press('Control+z');
    await visit.until('they are gone', async () => (await visit.song()).tracks.length === before);
  });

  it('sings a short part as it is played on keys, and keeps it as notes', async () => {
    await edit('Lead');
    const before = (await visit.song()).tracks.length;
    await visit.click('Keys');
    await visit.page.select('select[aria-label="Keys at once"]', '1');
    await visit.click('Play keys');
    await visit.page.waitForSelector('[data-testid="track-Played"]');
    await visit.notesReady();
    await visit.press('Space');
    await visit.page.waitForSelector('[data-testid=words-ready]', { timeout: 40000 });
    for (const key of ['KeyG', 'KeyH']) {
      await visit.page.keyboard.down(key as 'KeyG');
      await new Promise(r => setTimeout(r, 900));
      await visit.page.keyboard.up(key as 'KeyG');
      await new Promise(r => setTimeout(r, 150));
    }
    await visit.page.waitForSelector('[data-testid=held-delay]');
    await visit.press('Space');
    await visit.press('Escape');
    const played = async () => (await visit.song()).tracks.find(t => t.name === 'Played')?.guide?.notes ?? [];
    await visit.until('both notes are kept', async () => (await played()).length === 2);
    const [first, second] = await played();
    expect(second.midi - first.midi).toBe(2);
    expect(first.end - first.start).toBeGreaterThan(0.6);
    // quick notes are one step, slow ones one each
    await visit.until('it is gone', async () => {
      await visit.press('Control+z');
      await visit.saved();
      return (await visit.song()).tracks.length === before;
    });
  });

  it('unpicks a recorded chord, puts it right by hand, makes a part of a line, sings another, and writes the voices down', async () => {
    await edit('Lead');
    await visit.click('Unpick');
    await visit.page.select('select[aria-label="How many sing"]', '3');
    await visit.page.click(`${panel} button.btn-ink`);
    await visit.page.waitForSelector('ul[aria-label=Lines] li', { timeout: 60000 });
    const lines = await visit.page.$$eval('ul[aria-label=Lines] li', list => list.map(l => l.textContent ?? ''));
    expect(lines.map(l => /^\w+ line/.exec(l)?.[0])).toEqual(['Upper line', 'Middle line', 'Lower line']);
    const counts = () =>
      visit.page.$$eval('ul[aria-label=Lines] li', list =>
        list.map(l => Number(/(\d+) notes?/.exec(l.textContent ?? '')![1])),
      );
    const found = await counts();
    for (const n of found) expect(n).toBeGreaterThan(12);
    // by hand: stepped to, taken out, taken back
    await visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());
    await visit.press(']');
    await visit.press('Alt+x');
    const sum = (list: number[]) => list.reduce((a, b) => a + b, 0);
    await visit.until('it is out', async () => sum(await counts()) === sum(found) - 1);
    await visit.click('Take back');
    await visit.until('it is in', async () => sum(await counts()) === sum(found));
    // a singer who cannot go so high: what is said by key is found at once
    await visit.page.focus('[aria-label="Highest note of Upper line"]');
    await visit.press('PageDown');
    await visit.press('ArrowUp');
    await visit.until('it is found anew', async () => (await counts()).join() !== found.join());
    await visit.page.$$eval('ul[aria-label=Lines] li button', list => (list[0] as HTMLElement).click());
    expect(await visit.violations()).toEqual([]);
    await visit.click('Make a part');
    await visit.page.waitForSelector('[data-testid="track-Upper line"]');
    await visit.saved();
    const part = (await visit.song()).tracks.find(t => t.name === 'Upper line')!;
    expect(part.part!.by).toBe('guide');
    expect(part.guide!.notes.length).toBeGreaterThan(8);
    await visit.click('All lines as MIDI');
    expect(readMelodies(await visit.downloaded()).map(t => t.name)).toEqual([
      'Upper line',
      'Middle line',
      'Lower line',
    ]);
    await visit.press('Control+z');
    await visit.page.waitForSelector('[data-testid="track-Upper line"]', { hidden: true });
    // a track to sing the middle line on: in the headphones, and what the take is judged by
    await visit.page.$$eval('ul[aria-label=Lines] li', list =>
      [...list[1].querySelectorAll('button')].find(b => b.textContent === 'Sing it')!.click(),
    );
    await visit.page.waitForSelector('[data-testid="track-Middle line"]');
    await visit.until('Gather is there', async () => (await visit.text('main')).includes('Takes for Middle line'));
    await visit.press('r');
    await visit.page.waitForSelector('select[aria-label="Microphone"]');
    await visit.page.select('select[aria-label="Microphone"]', 'simulated');
    expect(
      await visit.page.$$eval('[aria-label="In the headphones"] [aria-pressed=true]', list =>
        list.map(b => b.textContent),
      ),
    ).toContain('Middle line of Three at the landing, as tones');
    await visit.page.click('[data-testid=record]');
    await visit.until(
      'it records',
      async () => (await visit.text('section[aria-label=Recording]')).includes('Recording.'),
      30000,
    );
    await new Promise(r => setTimeout(r, 11000));
    await visit.page.click('[data-testid=record]');
    await visit.page.waitForSelector('[data-testid="take-Take 1"]', { timeout: 40000 });
    await visit.until(
      'it is judged',
      async () => /\d+ % in tune/.test(await visit.text('[data-testid="take-Take 1"]')),
      60000,
    );
    const sung = (await visit.song()).tracks.find(t => t.name === 'Middle line')!;
    const pitches = new Set(sung.guide!.notes.map(n => n.midi));
    const notes = await visit.notes();
    expect(notes.length).toBeGreaterThan(4);
    expect(
      notes.filter(n => [...pitches].some(m => n.sung.startsWith(noteName(m, { tonic: 2, mode: 'major' })))).length /
        notes.length,
    ).toBeGreaterThan(0.7);
    for (let i = 0; i < 2; i++) await visit.press('Control+z');
    await visit.page.waitForSelector('[data-testid="track-Middle line"]', { hidden: true });
    await visit.desk('8');
    await visit.click('MusicXML');
    const xml = new TextDecoder().decode(await visit.downloaded());
    expect(xml.match(/<part-name>[^<]+/g)).toEqual(['<part-name>Lead', '<part-name>Third above', '<part-name>Double']);
    expect(xml).toContain('<root-step>D</root-step>');
    expect(xml).toContain('<text>leave</text>');
  });

  it('sets levels and pans and delivers stems that add up to the mix', async () => {
    await visit.desk('8');
    await visit.page.waitForSelector('[data-testid=mixer]');
    await visit.fader('Level', -8, '[data-testid="mix-Third above"]');
    await visit.fader('Pan', 45, '[data-testid="mix-Third above"]');
    expect(await visit.violations()).toEqual([]);
    await visit.click('32-bit float');
    await visit.click('Export 4 stems');
    stems = stemsOf(await visit.downloaded());
    expect([...stems.keys()].sort()).toEqual(['Double.wav', 'Lead.wav', 'Piano bass brushes.wav', 'Third above.wav']);
    const lengths = new Set([...stems.values()].map(s => s[0].length));
    expect(lengths.size).toBe(1);
    await visit.click('Export the mix');
    const mix = readWav(await visit.downloaded()).channels;
    expect(mix[0].length).toBe([...lengths][0]);
    let most = 0;
    mix.forEach((y, c) => {
      const left = Float64Array.from(y);
      for (const s of stems.values()) {
        const x = s[Math.min(c, s.length - 1)];
        for (let i = 0; i < x.length; i++) left[i] -= x[i];
      }
      for (let i = 0; i < left.length; i++) if (Math.abs(left[i]) > most) most = Math.abs(left[i]);
    });
    expect(most).toBeLessThan(1e-6);
    const [left, right] = stems.get('Third above.wav')!;
    const power = (x: Float32Array) => x.reduce((s, v) => s + v * v, 0);
    expect(power(right)).toBeGreaterThan(2 * power(left));
    await edit('Piano, bass, brushes');
    await visit.click('16-bit');
    await visit.click('Export Piano');
    expect(readWav(await visit.downloaded())).toMatchObject({ format: 'int16', sampleRate: 48000 });
  });

  it('saves a bundle that opens in a fresh browser with the very same samples', async () => {
    await visit.click('Save the bundle');
    const bundle = await visit.downloaded();
    const names = Object.keys(unzipSync(bundle));
    expect(names).toEqual(expect.arrayContaining(['song.json', 'essim.json', 'midi/Lead.mid', 'midi/Third above.mid']));
    const other = await Visit.begin();
    const [path, bad] = ['bundle', 'bad'].map(n => join(other.downloads, '..', `essim-${n}-${process.pid}.essim`));
    try {
      writeFileSync(path, bundle);
      // refused ones first: they leave the shelf as it is
      writeFileSync(bad, zipSync({ '../evil.js': strToU8('1') }));
      await other.page.waitForSelector('[data-testid=open-demo]');
      await other.give('[data-testid=bundles]', bad);
      await other.noticed('Nothing was changed');
      expect(await other.page.$$eval('main, body', b => b[0].textContent ?? '')).not.toContain('4 tracks');
      await other.give('[data-testid=bundles]', path);
      await other.page.waitForSelector('[data-testid=mixer]', { timeout: 60000 });
      await other.until('the part is there', async () => (await other.text(tracks)).includes('Third above'), 60000);
      // the part made from another recording is the farthest to come: reading, plan and rendering, all of it
      await other.click('32-bit float');
      await other.page.click('[data-testid="track-Third above"] button[title]');
      await other.click('Export Third');
      const { channels } = readWav(await other.downloaded());
      const there = stems.get('Third above.wav')!;
      expect(channels).toHaveLength(there.length);
      channels.forEach((y, c) => {
        let different = y.length === there[c].length ? 0 : NaN;
        for (let i = 0; i < y.length; i++) if (y[i] !== there[c][i]) different++;
        expect(different).toBe(0);
      });
      expect(other.problems).toEqual([]);
    } finally {
      await other.end();
      rmSync(path, { force: true });
      rmSync(bad, { force: true });
    }
    expect(visit.problems).toEqual([]);
  });
});
