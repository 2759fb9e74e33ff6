import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWav } from '@essim/core';
import { layoutFor, xOf, yOf } from '../../app/src/field/viewport';
import { demoFolder, Visit } from '../browser';

/** Putting right what was heard of the demo's lead, without changing a sample of it. */
describe('the Listen desk', () => {
  let visit: Visit;
  beforeAll(async () => {
    visit = await Visit.again();
  });
  afterAll(() => visit.end());

  const noteAt = async (start: number) =>
    (await visit.notes()).reduce((a, b) => (Math.abs(b.start - start) < Math.abs(a.start - start) ? b : a));
  /** Chooses a note by its row in the table for those who do not see the field. */
  const choose = async (start: number) => {
    const at = (await noteAt(start)).start;
    await visit.page.$$eval(
      '[data-testid=notes] tbody tr',
      (rows, wanted) =>
        rows
          .find(r => parseFloat(r.children[0].textContent ?? '') === wanted)
          ?.querySelector('button')
          ?.click(),
      at,
    );
  };
  const heard = () => visit.text('section[aria-label=Heard]');
  /** A moment and pitch of the field as a point of the page. */
  const point = async (time: number, midi: number) => {
    const { x, y, width, height, view } = await visit.field();
    const layout = layoutFor(width, height);
    return {
      x: x + xOf(view, layout, time),
      y: y + yOf(view, layout, midi),
      lane: y + (layout.noises.top + layout.noises.bottom) / 2,
    };
  };
  const current = () =>
    visit.page.$eval('[data-testid=doubts] [aria-current]', e => e.textContent ?? '').catch(() => '');
  const count = async () => (await visit.notes()).length;
  const exported = async () => {
    await visit.press('Control+e');
    return readWav(await visit.downloaded()).channels[0];
  };

  it('finds the doubtful octaves of the gritty phrase with the key', async () => {
    await visit.page.click('[data-testid=open-demo]');
    await visit.notesReady();
    await visit.desk('2');
    await visit.page.waitForSelector('[data-testid=doubts] li');
    expect(await visit.violations()).toEqual([]);
    for (let i = 0; i < 40 && !/ or .*%/.test(await current()); i++) {
      await visit.press('.');
      await new Promise(r => setTimeout(r, 60));
    }
    expect(await current()).toMatch(/0:39\.[78]\s*D4 or D3 \(\d+ %\)/);
    expect(await heard()).toMatch(/D4/);
    expect(await visit.page.$('[data-testid=hearing-D3]')).not.toBeNull();
  });

  it('hears a note otherwise by a click, and a run like its neighbours by a key', async () => {
    await visit.page.click('[data-testid=hearing-D3]');
    await visit.until('it is heard as D3', async () => (await noteAt(39.7)).sung.startsWith('D3'), 5000);
    // the two after it, put wrong on purpose
    await choose(40.05);
    await visit.press('Shift+ArrowRight');
    const names = async () => [(await noteAt(40.05)).sung, (await noteAt(40.35)).sung].map(t => t.split(' ')[0]);
    const right = await names();
    await visit.press('Shift+o');
    await visit.until('they are lower', async () => (await names())[0] !== right[0], 5000);
    await choose(39.7);
    await visit.press('Shift+ArrowRight');
    await visit.press('Shift+ArrowRight');
    await visit.press('g');
    await visit.until('all are back', async () => (await noteAt(39.7)).sung.startsWith('D4'), 5000);
    expect(await names()).toEqual(right);
    await visit.saved();
  });

  it('ticks a doubt off', async () => {
    await visit.press('.');
    await visit.press('d');
    await visit.until(
      'one is ticked',
      async () => (await visit.page.$$('[data-testid=doubts] [aria-checked=true]')).length === 1,
      5000,
    );
  });

  it('cuts a slide at the pointer, joins it again, and takes every step back', async () => {
    await visit.page.click('button[aria-current], aside[aria-label="Tracks and phrases"] ol li:first-child button');
    const before = await count();
    const long = (await visit.notes()).find(n => n.length > 0.8 && n.start > 5)!;
    const at = await point(long.start + long.length / 2, 62);
    await visit.page.mouse.move(at.x, at.y);
    await visit.press('/');
    await visit.until('there is one more', async () => (await count()) === before + 1, 5000);
    expect((await noteAt(long.start + long.length / 2)).start).toBeCloseTo(long.start + long.length / 2, 1);
    await visit.press('Control+z');
    await visit.until('it is one note again', async () => (await count()) === before, 5000);
    await visit.press('Control+y');
    await visit.until('it is cut again', async () => (await count()) === before + 1, 5000);
    const left = await point(long.start + 0.2, parseMidi(long.sung));
    await visit.page.mouse.click(left.x, left.y);
    await visit.press('j');
    await visit.until('they are joined', async () => (await count()) === before, 5000);
  });

  it('moves a border by dragging it, as one step', async () => {
    const [first] = (await visit.notes()).filter(n => n.start > 5);
    const grip = await point(first.start + first.length, railOf(first.sung));
    await visit.page.mouse.move(grip.x, grip.y);
    await visit.page.mouse.down();
    await visit.page.mouse.move(grip.x - 12, grip.y, { steps: 3 });
    await visit.page.mouse.move(grip.x - 24, grip.y, { steps: 3 });
    await visit.page.mouse.up();
    await visit.until('it is shorter', async () => (await noteAt(first.start)).length < first.length - 0.05, 5000);
    await visit.press('Control+z');
    await visit.until('one step takes it back', async () => (await noteAt(first.start)).length === first.length, 5000);
  });

  it('cuts a breath off a note by dragging its border in the lane', async () => {
    const [first] = (await visit.notes()).filter(n => n.start > 5);
    const from = await point(first.start, 60);
    const to = await point(first.start + 0.12, 60);
    await visit.page.mouse.move(from.x, from.lane);
    await visit.page.mouse.down();
    await visit.page.mouse.move((from.x + to.x) / 2, to.lane, { steps: 3 });
    await visit.page.mouse.move(to.x, to.lane, { steps: 3 });
    await visit.page.mouse.up();
    const cut = async () => (await noteAt(first.start + 0.12)).start;
    await visit.until('the note begins later', async () => (await cut()) > first.start + 0.09, 5000);
  });

  it('says what a stretch is by choosing it in the lane', async () => {
    const { view } = await visit.field();
    const note = (await visit.notes()).find(n => n.start > view.from && n.length > 0.6)!;
    const [from, to] = [await point(note.start + 0.2, 60), await point(note.start + 0.3, 60)];
    const before = await count();
    await visit.page.mouse.move(from.x, from.lane);
    await visit.page.mouse.down();
    await visit.page.mouse.move(to.x, to.lane, { steps: 4 });
    await visit.page.mouse.up();
    await visit.click('sibilant', 'section[@aria-label="What it is"]//button');
    await visit.until('the note is in two pieces', async () => (await count()) === before + 1, 5000);
    expect(await visit.text('section[aria-label="What it is"]')).toMatch(/sibilant, 0:0\d\.\d+, \d+ ms: it is/);
    await visit.press('Control+z');
    await visit.until('it is whole again', async () => (await count()) === before, 5000);
  });

  it('cuts the chosen notes by cause', async () => {
    const before = await count();
    await visit.press('Control+a');
    const label = await visit.text('section[aria-label="Cut by cause"]');
    const dips = Number(/consonant (\d+)/.exec(label)![1]);
    expect(dips).toBeGreaterThan(3);
    await visit.click('consonant', 'section[@aria-label="Cut by cause"]//button');
    await visit.until('they are cut', async () => (await count()) === before + dips, 8000);
    await visit.press('Control+z');
    await visit.until('they are whole', async () => (await count()) === before, 8000);
  });

  it('chooses notes alike, and the rest', async () => {
    const all = await visit.notes();
    const [first] = all;
    const step = (text: string) => text.replace(/-?\d+ .*/, '');
    const alike = all.filter(n => step(n.sung) === step(first.sung)).length;
    await choose(first.start);
    await visit.press('a');
    await visit.noticed(`${alike} notes of the same name`, 5000);
    expect(await heard()).toContain(`${alike}notes chosen`);
    await visit.press('Control+i');
    await visit.until(
      'the others are',
      async () => (await heard()).includes(`${all.length - alike}notes chosen`),
      5000,
    );
    await visit.press('Control+k');
    await visit.page.waitForSelector('[role=dialog] input');
    await visit.page.keyboard.type('out of the key\n');
    await visit.noticed('out of the key', 5000);
  });

  it('hears a part of a note otherwise, and keeps the stretch by name', async () => {
    await visit.page.click('aside[aria-label="Tracks and phrases"] ol li:first-child button');
    const { view } = await visit.field();
    const note = (await visit.notes()).find(n => n.start > view.from && n.length > 0.6)!;
    const y = railOf(note.sung) + 5;
    const [from, to] = [await point(note.start + 0.2, y), await point(note.start + 0.4, y)];
    await visit.page.keyboard.down('Alt');
    await visit.page.mouse.move(from.x, from.y);
    await visit.page.mouse.down();
    await visit.page.mouse.move(to.x, to.y, { steps: 4 });
    await visit.page.mouse.up();
    await visit.page.keyboard.up('Alt');
    expect(await heard()).toMatch(/0\.(19|2\d) s of a note/);
    await visit.page.type('input[aria-label="Keep this selection as"]', 'held\n');
    await visit.until('it is kept', async () => (await visit.song()).kept.length === 1, 5000);
    await visit.press('Escape');
    expect(await heard()).toContain('Nothing chosen');
    await visit.click('held', 'section[@aria-label="Kept selections"]//button');
    const before = await heard();
    expect(before).toContain('s of a note');
    const notes = await count();
    await visit.press('o');
    await visit.until('it is heard higher', async () => (await heard()) !== before, 5000);
    expect(await count()).toBe(notes);
    await visit.press('Control+z');
    await visit.until('it is heard as before', async () => (await heard()) === before, 5000);
  });

  it('takes another track along as a group, in one step', async () => {
    await visit.page.click('[aria-label="View Double"]');
    await visit.press('Shift+G');
    await visit.noticed('Double takes the same commands', 5000);
    await visit.page.click('aside[aria-label="Tracks and phrases"] ol li:nth-child(6) button');
    const { view } = await visit.field();
    const note = (await visit.notes()).find(n => n.start > view.from && n.length > 0.3)!;
    await choose(note.start);
    await visit.until('its double is meant too', async () =>
      /Double, 1 note/.test(await visit.text('[data-testid=group]')),
    );
    const edits = async () => (await visit.song()).tracks.map(t => Object.keys(t.takes[0].edits).length);
    const was = await edits();
    await visit.desk('3');
    await visit.until('Tune is open', async () => /Settle/.test(await visit.text('aside[aria-label=Panel]')));
    await visit.press('s');
    await visit.until(
      'both are settled',
      async () => (await edits()).join() === was.map((n, i) => n + Number(i < 2)).join(),
    );
    await visit.press('Control+z');
    await visit.until('one step takes both back', async () => (await edits()).join() === was.join());
    await visit.desk('2');
    await visit.page.waitForSelector('[data-testid=doubts]');
    await visit.press('Shift+G');
    await visit.noticed('edited track alone', 5000);
  });

  it('is read in another range and back, and keeps what was put right', async () => {
    const select = 'select[aria-label="Range of Lead"]';
    const before = await visit.notes();
    const corrections = async () => JSON.stringify((await visit.song()).tracks[0].takes[0].corrections);
    const was = await corrections();
    for (const [range, name] of [
      ['high', 'high'],
      ['auto', 'automatic'],
    ]) {
      await visit.page.select(select, range);
      await visit.until(`it is read as ${name}`, async () => (await visit.song()).tracks[0].takes[0].range === range);
      await visit.notesReady();
      await visit.allRead();
    }
    expect(await corrections()).toBe(was);
    const notes = async () => JSON.stringify(await visit.notes());
    await visit.until('it reads as before', async () => (await notes()) === JSON.stringify(before), 30000);
  });

  it('lets the reading sound as a tone', async () => {
    await visit.click('alone', 'section[@aria-label="By ear"]//button');
    await visit.click('Alone', 'footer//button');
    await visit.page.click('aside[aria-label="Tracks and phrases"] ol li:first-child button');
    await visit.press('Space');
    await visit.until(
      'it is heard',
      async () => Number(await visit.page.$eval('[data-testid=meter]', e => e.getAttribute('aria-valuenow'))) > -40,
      10000,
    );
    await visit.press('Space');
    await visit.click('off', 'section[@aria-label="By ear"]//button');
  });

  it('has changed no sample', async () => {
    const sung = readWav(new Uint8Array(readFileSync(join(demoFolder, 'lead.wav')))).channels[0];
    const out = await exported();
    expect(out.length).toBe(sung.length);
    expect(out.every((v, i) => v === sung[i])).toBe(true);
  });

  it('keeps every correction over a reload', async () => {
    await visit.saved();
    const before = await visit.notes();
    await visit.page.reload();
    await visit.notesReady();
    expect(await visit.notes()).toEqual(before);
    expect((await visit.song()).tracks[0].takes[0].corrections!.kinds).toMatchObject([{ kind: 'breath' }]);
    expect((await visit.song()).tracks[0].takes[0].corrections!.looked).toHaveLength(1);
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});

const STEPS = ['C', 'C♯', 'D', 'D♯', 'E', 'F', 'F♯', 'G', 'G♯', 'A', 'A♯', 'B'];
/** MIDI of "D4 -12 cents". */
function parseMidi(text: string): number {
  const [, step, octave, cents] = /^([A-G]♯?)(-?\d+) (-?\d+) cents/.exec(text)!;
  return STEPS.indexOf(step) + 12 * (Number(octave) + 1) + Number(cents) / 100;
}
/** Rail of a note in D major: the nearest step of the key. */
function railOf(text: string): number {
  const midi = parseMidi(text);
  const steps = [2, 4, 6, 7, 9, 11, 1];
  return Array.from({ length: 128 }, (_, m) => m)
    .filter(m => steps.includes(m % 12))
    .reduce((a, b) => (Math.abs(b - midi) < Math.abs(a - midi) ? b : a));
}
