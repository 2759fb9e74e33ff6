import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { median, readTake, readWav, writeMidi } from '@essim/core';
import { layoutFor } from '../app/src/field/viewport';
import { midiOf, Visit } from './browser';

/** The Tune desk beyond single notes: the take as a whole, a melody to go by, hints, other tunings; by keyboard where there are keys. */
describe('three ways of tuning', () => {
  let visit: Visit;
  /** Notes as they are found. */
  let count = 0;
  beforeAll(async () => {
    visit = await Visit.again();
    await visit.openDemo('3');
    count = (await visit.notes()).length;
  });
  afterAll(() => visit.end());

  const panel = () => visit.text('aside[aria-label=Panel]');
  const lead = async () => (await visit.song()).tracks[0];
  const edits = async () => Object.values((await lead()).takes[0].edits);
  const way = (name: string) => visit.click(name, 'aside[@aria-label="Panel"]//h3/button');
  const unfocus = () => visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());
  /** Takes back everything. */
  const asFound = async () => {
    await unfocus();
    await visit.until(
      'everything is as it was found',
      async () => {
        await visit.press('Control+z');
        return visit.page.$eval('button[aria-label^="Undo"]', b => (b as HTMLButtonElement).disabled);
      },
      20000,
    );
    await visit.saved();
    // what was cut otherwise is read again
    await visit.until('the notes are as they were', async () => (await visit.notes()).length === count, 20000);
  };

  it('steps through hints by key, takes one and dismisses another', async () => {
    const hints = async () => Number(/(\d+) hints/.exec(await panel())?.[1] ?? 0);
    const before = await hints();
    expect(before).toBeGreaterThan(2);
    await visit.press('f');
    await visit.page.waitForSelector('section[aria-label=Hints] p');
    expect(await panel()).toMatch(/between two steps|outside the key|rubs against|another step|octave/);
    await visit.press('Shift+U');
    await visit.until('the hint is taken', async () => (await hints()) < before, 15000);
    expect((await edits()).filter(e => e.pinned)).toHaveLength(1);
    const after = await hints();
    await visit.press('f');
    await visit.press('Shift+X');
    await visit.until('the hint is dismissed', async () => (await hints()) < after, 15000);
    await visit.saved();
    expect((await lead()).takes[0].corrections!.looked.some(l => l.startsWith('hint '))).toBe(true);
    expect(await visit.violations()).toEqual([]);
    await asFound();
    expect(await hints()).toBe(before);
  });

  it('goes from raw to finished by keyboard alone: the take as a whole, into notes, and out', async () => {
    await visit.press('Escape');
    await visit.press('Shift+T');
    await visit.until('it is on', async () => (await panel()).includes('settles in 60 ms'), 15000);
    await visit.saved();
    // its line is heard; as notes it is the same
    await visit.press('Control+e');
    const whole = readWav(await visit.downloaded());
    await visit.press('Control+k');
    await visit.page.waitForSelector('[role=dialog] input');
    await visit.page.keyboard.type('into notes whole');
    await visit.page.keyboard.press('Enter');
    await visit.until('it is notes', async () => (await edits()).filter(e => e.settle === 60).length > 40, 30000);
    await visit.allRead();
    await visit.saved();
    expect((await lead()).whole).toEqual([]);
    await visit.press('Control+e');
    const notes = readWav(await visit.downloaded());
    const [a, b] = [whole, notes].map(w => readTake(w.channels[0], w.sampleRate));
    const away: number[] = [];
    a.f0.forEach((hz, k) => {
      if (hz > 0 && b.f0[k] > 0) away.push(Math.abs(1200 * Math.log2(hz / b.f0[k])));
    });
    expect(away.filter(c => c < 5).length / away.length).toBeGreaterThan(0.95);
    // and in tune, on the average of every long note
    const off = b.notes.filter(n => n.end - n.start > 0.3).map(n => 100 * Math.abs(n.pitch - Math.round(n.pitch)));
    expect(median(off)).toBeLessThan(8);
    await asFound();
  });

  it('follows a melody from a MIDI file, heard as a piano, and what is drawn of it', async () => {
    const sung = (await visit.notes()).filter(n => n.length > 0.3).slice(0, 4);
    const midi = join(visit.downloads, '..', `melody-${process.pid}.mid`);
    // every note a fourth under where it is sung
    const pitch = (name: string) => {
      const [, letter, sign, octave] = /^([A-G])([♯♭]?)(-?\d)/.exec(name)!;
      return (
        [9, 11, 0, 2, 4, 5, 7]['ABCDEFG'.indexOf(letter)] +
        (sign === '♯' ? 1 : sign ? -1 : 0) +
        12 * (Number(octave) + 1)
      );
    };
    const written = sung.map(n => ({ start: n.start, end: n.start + n.length, midi: pitch(n.sung) - 5 }));
    writeFileSync(midi, writeMidi('Melody', written, 92));
    await way('Steps');
    // a tuning from a file: seven steps, none of them a semitone
    const scl = join(visit.downloads, '..', `seven-${process.pid}.scl`);
    writeFileSync(
      scl,
      ['seven equal', ' 7', ...Array.from({ length: 7 }, (_, i) => ` ${(((i + 1) * 1200) / 7).toFixed(4)}`)].join('\n'),
    );
    await visit.give('[data-testid=scala]', scl);
    await visit.until('its steps are there', async () => (await visit.song()).tuning?.steps.length === 7, 15000);
    const broken = join(visit.downloads, '..', `broken-${process.pid}.scl`);
    writeFileSync(broken, 'broken\n 2\n 100.0\n loud\n');
    await visit.give('[data-testid=scala]', broken);
    await visit.noticed('line 4');
    expect((await visit.song()).tuning?.steps.length).toBe(7);
    await unfocus();
    await visit.press('Control+z');
    await visit.until('the key is back', async () => (await visit.song()).tuning === null, 15000);
    await visit.give('[data-testid=guide-file]', midi);
    await visit.until('the guide is there', async () => (await panel()).includes('Melody, 4 notes'), 15000);
    const offset = (await lead()).guide!.offsetSeconds;
    // it was found to lie elsewhere, or nowhere better than here: typed, it lies here
    await (await visit.page.waitForSelector('button[aria-label^="Guide offset"]'))!.click();
    await visit.page.keyboard.type('0');
    await visit.page.keyboard.press('Enter');
    await visit.until('it is moved', async () => (await lead()).guide!.offsetSeconds === 0, 15000);
    expect(Number.isFinite(offset)).toBe(true);
    await visit.click('Heard as a piano', 'label');
    await visit.saved();
    await unfocus();
    await visit.press('Control+a');
    await visit.press('Shift+M');
    await visit.until(
      'four notes went there',
      async () => (await edits()).filter(e => e.target !== undefined).length === 4,
      15000,
    );
    expect((await edits()).map(e => e.target).sort()).toEqual(written.map(n => n.midi).sort());
    // a note drawn into it by hand
    await visit.click('Draw');
    const { view } = await visit.field();
    const t = view.from + 0.8 * (view.to - view.from);
    const place = await visit.onField(t, 64);
    await visit.page.mouse.move(place.x, place.y);
    await visit.page.mouse.down();
    await visit.page.mouse.move(place.x + 60, place.y, { steps: 4 });
    await visit.page.mouse.up();
    await visit.until('it is drawn', async () => (await lead()).guide!.notes.length === 5, 15000);
    await unfocus();
    await visit.press('Escape');
    expect(await visit.violations()).toEqual([]);
    await asFound();
    await way('Notes');
  });

  it('plays pitches on the keys, and settles on what is held', async () => {
    await unfocus();
    await visit.press('Control+a');
    await visit.press('Shift+B');
    await visit.page.waitForSelector('[data-testid=keyboard]');
    await visit.page.keyboard.down('d');
    await visit.page.keyboard.press('Enter');
    await visit.page.keyboard.up('d');
    await visit.until(
      'every note is an E',
      async () => {
        const targets = (await edits()).map(e => e.target!);
        return targets.length > 40 && targets.every(t => t % 12 === 4);
      },
      15000,
    );
    expect(await visit.violations()).toEqual([]);
    await visit.press('Escape');
    expect(await visit.page.$('[data-testid=keyboard]')).toBeNull();
    await asFound();
  });

  it('keeps two tunings of a phrase, hears all hard while V is held, and cuts notes by slack as the fader moves', async () => {
    await visit.press('Escape');
    await visit.click('hold the rope');
    await visit.press('s');
    await visit.saved();
    const settled = (await edits()).length;
    await visit.press('Shift+Y');
    await visit.press('u');
    await visit.until('the other is as sung', async () => (await edits()).length === 0, 15000);
    await visit.press('y');
    await visit.until('the first is back', async () => (await edits()).length === settled, 15000);
    expect((await lead()).alternatives.map(a => [a.name, a.heard])).toEqual([
      ['A', true],
      ['B', false],
    ]);
    // nothing is kept of what is only heard
    const stored = JSON.stringify(await visit.song());
    await visit.page.keyboard.down('v');
    await visit.until(
      'every note is settled',
      async () => (await visit.notes()).every(n => n.meant !== 'as sung'),
      15000,
    );
    await visit.page.keyboard.up('v');
    await visit.until('and no more', async () => (await visit.notes()).some(n => n.meant === 'as sung'), 15000);
    expect(JSON.stringify(await visit.song())).toBe(stored);
    await visit.press('Control+a');
    await visit.click('Slack', 'aside[@aria-label="Panel"]//button');
    const ms = (await visit.page.$$('section[aria-label=Slack] input[type=range]'))[1];
    await ms.focus();
    await visit.page.keyboard.press('PageUp');
    await visit.until('notes were cut anew', async () => (await visit.notes()).length !== count, 20000);
    await visit.allRead();
    await asFound();
  });

  it('offers what can be done by the other button, and loops a stretch of the ruler', async () => {
    await visit.press('Escape');
    await visit.press('ArrowRight');
    const note = (await visit.notes()).find(n => n.length > 0.5)!;
    const f = await visit.field();
    await visit.page.mouse.click(f.x + 0.5 * f.width, f.y + 0.5 * f.height, { button: 'right' });
    await visit.page.waitForSelector('[role=menu]');
    expect(await visit.text('[role=menu]')).toContain('Zoom to the whole song');
    expect(await visit.violations()).toEqual([]);
    await visit.page.keyboard.press('Escape');
    expect(await visit.page.$('[role=menu]')).toBeNull();
    await visit.click('leave a lamp');
    const place = await visit.onField(note.start + note.length / 2, 57);
    const view = (await visit.field()).view;
    await visit.page.mouse.move(place.x, f.y + layoutFor(f.width, f.height).ruler.top + 8);
    await visit.page.mouse.down();
    await visit.page.mouse.move(place.x + 120, f.y + 60, { steps: 4 });
    await visit.page.mouse.up();
    expect(await visit.text('footer')).toContain('Loop stretch');
    const perSecond = (f.width - 52) / (view.to - view.from);
    await visit.press('Space');
    const seconds = async () => {
      const time = await visit.page.$eval('[data-testid=position]', e => e.nextElementSibling!.textContent!);
      const [minutes, rest] = time.split('·')[0].split(':').map(parseFloat);
      return minutes * 60 + rest;
    };
    const from = note.start + note.length / 2;
    for (let i = 0; i < 20; i++) {
      await new Promise(r => setTimeout(r, 100));
      expect(await seconds()).toBeGreaterThan(from - 0.3);
      expect(await seconds()).toBeLessThan(from + 120 / perSecond + 0.3);
    }
    await visit.press('Space');
    await visit.press('l');
    expect(await visit.text('footer')).toContain('Loop phrase');
  });

  it('goes about with two fingers, and drags a note with one', async () => {
    const f = await visit.field();
    const session = await visit.page.createCDPSession();
    const touch = (type: 'touchStart' | 'touchMove' | 'touchEnd', ...at: [x: number, y: number][]) =>
      session.send('Input.dispatchTouchEvent', {
        type,
        touchPoints: at.map(([x, y], id) => ({ x: f.x + x, y: f.y + y, id })),
      });
    const y = f.height * 0.6;
    await touch('touchStart', [350, y]);
    await touch('touchStart', [350, y], [550, y]);
    for (let i = 1; i <= 5; i++) await touch('touchMove', [350 - 12 * i, y], [550 + 12 * i, y]);
    await touch('touchEnd');
    const near = (await visit.field()).view;
    expect((near.to - near.from) / (f.view.to - f.view.from)).toBeCloseTo(200 / 320, 1);
    await touch('touchStart', [350, y], [550, y]);
    for (let i = 1; i <= 5; i++) await touch('touchMove', [350 + 12 * i, y], [550 - 12 * i, y]);
    await touch('touchEnd');
    // a note under a finger goes along with it
    await visit.page.focus('[data-testid=field]');
    await visit.press('ArrowRight');
    await visit.press('z');
    await visit.until(
      'it is in the middle',
      async () => (await visit.field()).view.to - (await visit.field()).view.from < 6,
    );
    await new Promise(r => setTimeout(r, 600));
    const before = await visit.notes();
    const { view } = await visit.field();
    const note = before.find(n => n.start > view.from && n.start + n.length < view.to)!;
    const midi = midiOf(note.meant === 'as sung' ? note.sung : note.meant);
    const at = await visit.onField(note.start + note.length / 2, midi);
    await touch('touchStart', [at.x - f.x, at.y - f.y]);
    for (let i = 1; i <= 8; i++) await touch('touchMove', [at.x - f.x, at.y - f.y - (2 * at.row * i) / 8]);
    await touch('touchEnd');
    await visit.until('it was moved', async () => {
      const now = (await visit.notes()).find(n => Math.abs(n.start - note.start) < 0.02)!;
      return now.meant !== note.meant;
    });
    await visit.press('Control+z');
    await visit.saved();
  });

  it('pastes the edits of one phrase on its repeat: shown first, then taken', async () => {
    await visit.press('Escape');
    await visit.click('leave a lamp');
    await visit.press('s');
    await visit.saved();
    const settled = (await edits()).length;
    await visit.press('Control+c');
    await visit.click('hold the rope');
    await visit.press('Control+v');
    await visit.page.waitForSelector('section[aria-label=Paste]');
    expect((await edits()).length).toBe(settled);
    await visit.press('Enter');
    await visit.until('they are taken', async () => (await edits()).length > settled, 15000);
    await asFound();
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
