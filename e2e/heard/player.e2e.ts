import { layoutFor, yOf } from '../../app/src/field/viewport';
import { Visit } from '../browser';
import { hear, listenIn } from './ears';

const pause = (ms: number) => new Promise(r => setTimeout(r, ms));
const SILENT = 0.0005;
const SOUNDING = 0.003;

/** Heights of the track meters, by track. */
const meters = (visit: Visit): Promise<Record<string, number>> =>
  visit.page.$$eval('li[data-testid^=track-]', rows =>
    Object.fromEntries(
      rows.map(r => [
        r.getAttribute('data-testid')!.slice(6),
        Number((r.querySelector('[data-testid=meter-of-track]') as HTMLElement).dataset.level),
      ]),
    ),
  );

describe('the player', () => {
  let visit: Visit;
  beforeAll(async () => {
    visit = await Visit.again();
    await visit.openDemo('3');
    await visit.page.waitForSelector('[data-testid=field][data-view]');
    await listenIn(visit.page);
  });
  afterAll(() => visit.end());

  /** The highest over a phrase that is looped, whatever else the machine does: meters fall between words. */
  const loudest = async (seconds: number) => {
    const most: Record<string, number> = {};
    const position = () => visit.text('[data-testid=position]');
    const places = new Set<string>();
    const end = Date.now() + seconds * 1000;
    // a page that is slow to answer is looked at for longer
    for (let looks = 0; looks < 12 || places.size < 6 || Date.now() < end; looks++) {
      for (const [name, level] of Object.entries(await meters(visit))) most[name] = Math.max(most[name] ?? 0, level);
      places.add(await position());
      await pause(60);
    }
    return most;
  };
  const LOOP_SECONDS = 4.5;

  it('sounds what the pointer drags over on the ruler with Alt, and no more', async () => {
    const f = await visit.field();
    const y = f.y + layoutFor(f.width, f.height).ruler.top + 8;
    const from = await visit.onField(f.view.from + 1.2, 60);
    await visit.page.keyboard.down('Alt');
    await visit.page.mouse.move(from.x, y);
    await visit.page.mouse.down();
    let most = 0;
    for (let i = 1; i <= 24; i++) {
      await visit.page.mouse.move(from.x + i * 6, y);
      await pause(40);
      most = Math.max(most, (await hear(visit.page)).level);
    }
    expect(most).toBeGreaterThan(SOUNDING);
    await pause(500);
    expect((await hear(visit.page)).level).toBeLessThan(SILENT);
    await visit.page.mouse.up();
    await visit.page.keyboard.up('Alt');
    expect(await visit.text('[data-testid=position]')).not.toBe('1.1.1');
  });

  it('lets a dragged note be sung at its new pitch for as long as it is held', async () => {
    const note = (await visit.notes()).find(n => n.length > 0.6 && n.sung.startsWith('D4'))!;
    const midi = 62; // D4, the note's own row
    const f = await visit.field();
    const place = await visit.onField(note.start + note.length / 2, midi);
    const row = yOf(f.view, layoutFor(f.width, f.height), 60) - yOf(f.view, layoutFor(f.width, f.height), 61);
    await visit.page.mouse.move(place.x, place.y);
    await visit.page.mouse.down();
    await visit.page.mouse.move(place.x, place.y - row * 2, { steps: 4 });
    const pitches: number[] = [];
    for (let i = 0; i < 25; i++) {
      await pause(80);
      const { level, hz } = await hear(visit.page);
      if (level > SOUNDING && hz) pitches.push(69 + 12 * Math.log2(hz / 440));
    }
    const near = (wanted: number) => pitches.filter(p => Math.abs(p - wanted) < 0.6).length / pitches.length;
    expect(pitches.length).toBeGreaterThan(8);
    expect(near(midi + 2)).toBeGreaterThan(0.5);
    pitches.length = 0;
    await visit.page.mouse.move(place.x, place.y - row * 5, { steps: 4 });
    await pause(200);
    for (let i = 0; i < 15; i++) {
      await pause(80);
      const { level, hz } = await hear(visit.page);
      if (level > SOUNDING && hz) pitches.push(69 + 12 * Math.log2(hz / 440));
    }
    expect(near(midi + 5)).toBeGreaterThan(0.5);
    await visit.press('Escape');
    await visit.page.mouse.up();
    await pause(300);
    expect((await hear(visit.page)).level).toBeLessThan(SILENT);
    expect((await visit.notes()).every(n => n.meant === 'as sung')).toBe(true);
  });

  it('sounds the chosen note once, alone, by a key', async () => {
    const note = (await visit.notes()).find(n => n.length > 0.6 && n.sung.startsWith('D4'))!;
    const place = await visit.onField(note.start + note.length / 2, 62);
    await visit.page.mouse.click(place.x, place.y);
    await visit.press('Shift+Enter');
    await visit.until('it sounds', async () => (await hear(visit.page)).level > SOUNDING, 4000);
    await pause(note.length * 1000 + 600);
    expect((await hear(visit.page)).level).toBeLessThan(SILENT);
  });

  it('remembers for each way of hearing what is heard and how loud', async () => {
    await visit.press('Escape');
    await visit.click('hold the rope');
    await visit.press('l');
    await visit.press('Space');
    let most = await loudest(LOOP_SECONDS);
    expect(most.Lead).toBeGreaterThan(0.3);
    expect(most['Piano, bass, brushes']).toBeGreaterThan(0.3);
    expect(most.Double).toBe(0);
    const before = most['Piano, bass, brushes'];
    expect(await visit.violations()).toEqual([]);
    await visit.page.click('[aria-label="What is heard, and how loud"]');
    await visit.page.waitForSelector('section[aria-label="Heard: With backing"]');
    await visit.page.click('input[aria-label="Hear Double"]');
    const level = 'input[aria-label^="Level of Piano"]';
    await visit.page.focus(level);
    for (let i = 0; i < 40; i++) await visit.page.keyboard.press('ArrowLeft');
    await pause(400);
    most = await loudest(LOOP_SECONDS);
    expect(most.Double).toBeGreaterThan(0.2);
    expect(most['Piano, bass, brushes']).toBeLessThan(before - 0.2);
    await visit.press('Escape');
    await visit.click('Whole song');
    await pause(400);
    most = await loudest(LOOP_SECONDS);
    expect(most.Double).toBeGreaterThan(0.2);
    expect(most['Piano, bass, brushes']).toBeGreaterThan(before - 0.12);
    await visit.press('Space');
    await visit.press('l');
    await visit.page.reload();
    await visit.notesReady();
    await visit.allRead();
    await visit.click('With backing');
    await visit.page.click('[aria-label="What is heard, and how loud"]');
    await visit.page.waitForSelector('section[aria-label="Heard: With backing"]');
    expect(await visit.page.$eval(level, e => (e as HTMLInputElement).value)).toBe('-20');
    expect(await visit.page.$eval('input[aria-label="Hear Double"]', e => (e as HTMLInputElement).checked)).toBe(true);
    await visit.click('As usual');
    expect(await visit.page.$eval(level, e => (e as HTMLInputElement).value)).toBe('0');
    await visit.press('Escape');
  });

  it('counts a bar in before it plays', async () => {
    await listenIn(visit.page);
    await visit.desk('3');
    await visit.click('hold the rope');
    await visit.press('Shift+K');
    const start = await visit.text('[data-testid=position]');
    await visit.press('Space');
    await visit.until('a click sounds', async () => (await hear(visit.page)).level > SOUNDING, 4000);
    // a bar at 92 bpm takes 2.6 s, in which no track is heard
    expect(Math.max(...Object.values(await meters(visit)))).toBe(0);
    await visit.until('the song is heard', async () => (await meters(visit)).Lead > 0.2, 6000);
    expect(await visit.text('[data-testid=position]')).not.toBe(start);
    await visit.press('Shift+K');
    await visit.press('Space');
  });

  it('never falls silent while everything it plays is edited over and over', async () => {
    await visit.page.focus('[data-testid=field]');
    await visit.press('Control+a');
    await visit.click('hold the rope');
    await visit.press('l');
    await visit.press('Space');
    await visit.until('it sounds', async () => (await hear(visit.page)).level > SOUNDING, 4000);
    let silent = 0;
    const places = new Set<string>();
    for (let i = 0; i < 24; i++) {
      if (i % 2 === 0) {
        await visit.press('Control+a');
        await visit.press(i % 4 === 0 ? 's' : 'u');
      }
      if (i === 11) await visit.press('c');
      await pause(120);
      places.add(await visit.text('[data-testid=position]'));
      if ((await hear(visit.page)).level < SILENT) silent++;
    }
    expect(silent).toBeLessThan(3);
    expect(places.size).toBeGreaterThan(6);
    await visit.press('Space');
    expect(visit.problems).toEqual([]);
  });
});
