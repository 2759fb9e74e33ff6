import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as packaged from '@tonejs/midi';
import { readWav } from '@essim/core';
import { Visit } from './browser';
import { RATE, Stems } from './stems';

/** The rest of what the Gather desk can do, each by the way its users go. */
describe('ways at the Gather desk', () => {
  let visit: Visit;
  const stems = new Stems();
  /** When the browser knows that there is little room, ms. */
  let tightAt = 0;
  let unlimited: () => Promise<void>;
  beforeAll(async () => {
    visit = await Visit.begin();
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  const lead = () => stems.cut('lead', 5, 16.2);
  /** Limits what the origin may keep. @returns what ends that: the limit holds for as long as somebody says so */
  const limitStorage = async (bytes: number) => {
    const cdp = await visit.page.createCDPSession();
    await cdp.send('Storage.overrideQuotaForOrigin', { origin: visit.address, quotaSize: bytes });
    return () => cdp.detach();
  };
  const tracks = () =>
    visit.page.$$eval('[data-testid^="track-"]:not(input)', list =>
      list.map(e => e.getAttribute('data-testid')!.slice(6)),
    );
  const joined = () => visit.text('section[aria-label=Joins]');
  const typeIn = async (label: string, value: string) => {
    const input = (await visit.page.waitForSelector(`input[aria-label="${label}"]`))!;
    await input.click({ count: 3 });
    await input.type(value);
    await input.press('Enter');
  };
  /** Waits for the saved document to be so. */
  const saved = async (what: string, so: (song: Awaited<ReturnType<typeof visit.song>>) => boolean) => {
    await visit.until(what, async () => so(await visit.song()), 15000);
  };
  const goTo = async (phrase: number) => {
    await visit.page.click(`[data-testid="comp-${phrase}"]`);
  };

  it('takes a folder dropped on the shelf, in the order of its numbers, and names the song after it', async () => {
    await visit.drop(
      '[data-testid=files]',
      stems.wav('Quayside lead t10.wav', stems.cut('lead-c', 5, 16.2)),
      stems.wav('Quayside lead t2.wav', stems.cut('lead-b', 5, 16.2)),
      stems.wav('Quayside lead t1.wav', lead()),
    );
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
    const rows = await visit.page.$$eval('[data-testid^="import-"]', l => l.map(e => e.getAttribute('data-testid')));
    expect(rows).toEqual(['1', '2', '10'].map(n => `import-Quayside lead t${n}.wav`));
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-Quayside lead t10"]', { timeout: 20000 });
    await visit.allRead();
  });

  it('stops one file of several, and lands time-stamped ones where they belong', async () => {
    const [long] = lead();
    const minutes = new Float32Array(long.length * 2);
    for (let i = 0; i < 2; i++) minutes.set(long, i * long.length);
    const hour = 48000 * 3600;
    await visit.drop(
      '[data-testid=track-files]',
      stems.wav('dbl L.wav', stems.cut('double', 5, 16.2), { timeReference: hour }),
      stems.wav('dbl R.wav', stems.cut('double', 7, 16.2), { timeReference: hour + 2 * 48000 }),
      stems.wav('harm close.wav', stems.cut('harmony', 20, 31.2)),
      stems.wav(
        'harm room.wav',
        stems.cut('harmony', 20, 31.2).map(c => c.map(v => v * 0.4)),
      ),
      stems.wav('harm long.wav', [minutes], { format: 'int16' }, 8000),
    );
    const stop = '[data-testid="import-harm long.wav"]';
    await visit.page.waitForSelector(stop);
    await visit.page.$eval(`${stop} button`, e => (e as HTMLElement).click());
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
    expect(await visit.text(stop)).toContain('Stopped.');
    expect(await visit.text('[data-testid="import-dbl R.wav"]')).toContain('time-stamped');
    expect(await visit.text('[data-testid="import-harm room.wav"]')).toContain('second microphone of harm close.wav');
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="track-dbl R"]', { timeout: 20000 });
    expect(await tracks()).toEqual(['Quayside lead', 'dbl L', 'dbl R', 'Harm']);
    await saved('the stamps place them', song => {
      const [left, right] = ['dbl L', 'dbl R'].map(n => song.tracks.find(t => t.name === n)?.takes[0].offsetSeconds);
      return left === 0 && Math.abs((right ?? 0) - 2) < 1e-6;
    });
    await visit.allRead();
  });

  it('edits two microphones of one singer as one, and exports both', async () => {
    await visit.page.click('[data-testid="track-Harm"] button[aria-pressed]');
    await visit.notesReady();
    await visit.press('Control+e');
    const { channels } = readWav(await visit.downloaded());
    expect(channels).toHaveLength(2);
    const loud = (c: Float32Array) => Math.sqrt(c.reduce((s, v) => s + v * v, 0) / c.length);
    expect(loud(channels[1]) / loud(channels[0])).toBeCloseTo(0.4, 3);
  });

  it('is short of space from here on', async () => {
    // the browser looks at what is free every half minute only, so this comes before it matters
    const { usage = 0 } = await visit.page.evaluate(() => navigator.storage.estimate());
    unlimited = await limitStorage(usage + 14_000_000);
    tightAt = Date.now() + 32000;
  });

  it('makes takes of files dropped on a track’s row and on a take’s name', async () => {
    await visit.drop(
      '[data-testid="track-Quayside lead"] button[aria-pressed]',
      stems.wav(
        'again.wav',
        stems.cut('lead-b', 5, 16.2).map(c => c.map(v => v * 0.9)),
      ),
    );
    await visit.bringIn();
    await saved('it is a take', song => song.tracks[0].takes.length === 4);
    await visit.page.click('[data-testid="track-Quayside lead"] button[aria-pressed]');
    await visit.drop(
      '[data-testid="take-again"] button',
      stems.wav(
        'once more.wav',
        stems.cut('lead-c', 5, 16.2).map(c => c.map(v => v * 0.9)),
      ),
    );
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-once more"]', { timeout: 20000 });
    await visit.allRead();
    await visit.page.click('button[aria-label="Delete once more"]');
    await visit.page.click('button[aria-label="Delete again"]');
    await saved('they are gone', song => song.tracks[0].takes.length === 3);
  });

  it('borrows a word from elsewhere, crossfaded, at the level of the one it replaces', async () => {
    await visit.click('Words');
    await visit.page.waitForSelector('textarea');
    await visit.page.type('textarea', 'leave a lantern burning low\ndown along the harbour wall');
    await visit.page.click('[data-testid=spread-words]');
    await visit.page.waitForSelector('section[aria-label=Words] .pill');
    await visit.until('the dialog is gone', async () => (await visit.page.$('textarea')) === null, 5000);
    await visit.press('Control+e');
    const before = readWav(await visit.downloaded()).channels[0];
    await goTo(1);
    await visit.click('low', 'section[@aria-label="Words"]//button');
    await visit.page.waitForSelector('section[aria-label=Words] li');
    expect(await visit.text('section[aria-label=Words] li')).toContain('“low”');
    await visit.click('use', 'section[@aria-label="Words"]//li[1]//button');
    await visit.until('the join list names it', async () => (await joined()).includes('borrowed'), 5000);
    const song = await visit.song();
    const loan = song.tracks[0].segments.findIndex(g => g.shiftSeconds !== undefined);
    const [from, to] = [song.tracks[0].segments[loan].at, song.tracks[0].segments[loan + 1].at];
    await visit.press('Control+e');
    const after = readWav(await visit.downloaded()).channels[0];
    const differs = (a: number, b: number) => after.slice(a, b).some((v, i) => Math.abs(v - before[a + i]) > 1e-6);
    const at = (t: number) => Math.round(t * 48000);
    expect(differs(at(from) + 2000, at(to) - 2000)).toBe(true);
    expect(differs(0, at(from) - 2400)).toBe(false);
    expect(differs(at(to) + 2400, before.length)).toBe(false);
    const db = (x: Float32Array) =>
      10 * Math.log10(x.slice(at(from), at(to)).reduce((s, v) => s + v * v, 0) / (at(to) - at(from)));
    expect(Math.abs(db(after) - db(before))).toBeLessThan(3);
    await visit.press('Control+z');
  });

  it('moves a phrase’s border by dragging it', async () => {
    const before = (await visit.song()).tracks[0].phrases;
    expect(before).toBeNull();
    const border = (await (await visit.page.$('[data-testid="border-0-end"]'))!.boundingBox())!;
    await visit.page.mouse.move(border.x + 3, border.y + 10);
    await visit.page.mouse.down();
    await visit.page.mouse.move(border.x - 12, border.y + 10, { steps: 3 });
    await visit.page.mouse.move(border.x - 27, border.y + 10, { steps: 3 });
    await visit.page.mouse.up();
    await saved('the phrase ends earlier', s => (s.tracks[0].phrases?.[0].end ?? 99) < 4.9);
    const [first, second] = (await visit.song()).tracks[0].phrases!;
    expect(first.end).toBeLessThan(second.start);
    await visit.press('Control+z');
    await saved('one step takes it back', s => s.tracks[0].phrases === null);
  });

  it('moves a border, and picks a stretch of a take, by keys alone', async () => {
    await visit.page.focus('[data-testid="border-0-end"]');
    const ends = Number(await visit.page.$eval('[data-testid="border-0-end"]', e => e.getAttribute('aria-valuenow')));
    await visit.press('ArrowLeft');
    await visit.press('ArrowLeft');
    await saved('it ends 20 ms earlier', s => Math.abs((s.tracks[0].phrases?.[0].end ?? 0) - ends + 0.02) < 0.002);
    await visit.press('Control+z');
    await saved('it was one step', s => s.tracks[0].phrases === null);
    const segments = async () => (await visit.song()).tracks[0].segments;
    const before = await segments();
    const heard = before[0].takeId;
    await visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());
    for (const key of ['ArrowUp', 'ArrowUp', 'ArrowLeft', 'ArrowDown', 'Shift+ArrowRight', 'Shift+ArrowRight'])
      await visit.press(key);
    await visit.press('Alt+ArrowRight');
    await visit.page.waitForSelector('[data-testid=stretch]');
    await visit.press('Enter');
    await saved('two joins are there', s => s.tracks[0].segments.length >= before.length + 2);
    expect((await segments()).some(g => g.takeId !== heard)).toBe(true);
    expect(await visit.page.$('[data-testid=stretch]')).toBeNull();
    await visit.press('Control+z');
    await saved('as it was', s => s.tracks[0].segments.length === before.length);
  });

  it('types a tempo, and other tempos, metres and keys from a bar on', async () => {
    await visit.click('Type it');
    await typeIn('Tempo in beats a minute', '92');
    await saved('the tempo is set', s => s.tempo?.bpm === 92);
    await typeIn('Tempo in beats a minute', '9000');
    await visit.noticed('a number from 20 to 400 is wanted, not “9000”');
    await goTo(2);
    await visit.click('tempo', 'section[@aria-label="Time"]//button[@class="pill"]');
    const bar = await visit.page.$eval(
      'input[aria-label^="Tempo from bar"]',
      e => e.getAttribute('aria-label')!.match(/\d+/)![0],
    );
    await typeIn(`Tempo from bar ${bar}`, '104,5');
    await saved('the change is kept', s => s.tempo?.changes[0]?.bpm === 104.5);
    await visit.click('metre', 'section[@aria-label="Time"]//button[@class="pill"]');
    // the new tempo may have put the playhead into another bar
    const beats = 'select[aria-label^="Beats in a bar from bar"]';
    await visit.page.waitForSelector(beats);
    await visit.page.select(beats, '3');
    await saved('the metre is kept', s => s.tempo?.metres[0]?.beatsPerBar === 3);
    const key = async (label: string, name: string) => visit.page.select(`select[aria-label="${label}"]`, name);
    await key('Key of the song', 'D major');
    const before = await visit.notes();
    await visit.click('Change…', 'section[@aria-label="Key"]//button');
    await visit.page.waitForSelector('select[aria-label="Key from there"]');
    await key('Key from there', 'A minor');
    await saved('the key change is kept', s => s.keyChanges[0]?.tonic === 9 && s.keyChanges[0].mode === 'minor');
    expect((await visit.notes()).map(n => n.meant)).toEqual(before.map(n => n.meant));
    await visit.page.click('button[aria-label="Delete the metre change"]');
    await visit.page.click('button[aria-label="Delete the tempo change"]');
    await visit.page.click('button[aria-label="Delete the key change"]');
    await saved('all are gone', s => !s.tempo?.changes.length && !s.tempo?.metres.length && !s.keyChanges.length);
  });

  it('reads the tempo map of a MIDI file, and refuses what is none', async () => {
    const midi = new packaged.Midi();
    midi.header.tempos = [
      { ticks: 0, bpm: 90 },
      { ticks: 1920, bpm: 120 },
    ];
    midi.header.timeSignatures = [{ ticks: 0, timeSignature: [3, 4] }];
    midi.header.update();
    midi.addTrack().addNote({ midi: 60, time: 0, duration: 1 });
    await visit.give('[data-testid=midi-file]', stems.file('map.mid', midi.toArray()));
    await saved('the map is in', s => Math.round(s.tempo?.bpm ?? 0) === 90 && s.tempo?.beatsPerBar === 3);
    expect((await visit.song()).tempo!.changes).toHaveLength(1);
    await visit.give('[data-testid=midi-file]', stems.file('letter.mid', 'Dear choir'));
    await visit.noticed('letter.mid could not be used: it is not a MIDI file');
    await visit.press('Control+z');
    await saved('it is taken back', s => s.tempo?.bpm === 92);
  });

  it('takes the tempo from taps', async () => {
    await visit.page.evaluate(() => {
      const times: number[] = [];
      window.addEventListener('keydown', e => e.key === 't' && times.push(e.timeStamp));
      Object.assign(window, { times });
    });
    for (let i = 0; i < 5; i++) {
      await visit.press('t');
      await new Promise(r => setTimeout(r, 400));
    }
    const taps = await visit.page.evaluate(() => (window as unknown as { times: number[] }).times);
    const bpm = (60000 * 4) / (taps[4] - taps[0]);
    await saved('it is what was tapped', s => Math.abs((s.tempo?.bpm ?? 0) - bpm) < 0.06);
  });

  it('sets, changes and deletes chords in their row', async () => {
    const row = (await (await visit.page.$('[data-testid=chords]'))!.boundingBox())!;
    await visit.page.mouse.click(row.x + 40, row.y + 10, { count: 2 });
    await visit.page.waitForSelector('input[aria-label=Chord]');
    await visit.page.type('input[aria-label=Chord]', 'Gm\n');
    await saved('the chord is there', s => s.chords[0]?.name === 'Gm');
    const chord = async (name: string) => {
      await visit.page.click('[data-testid=chords] button');
      const input = (await visit.page.waitForSelector('input[aria-label=Chord]'))!;
      await input.click({ count: 3 });
      await visit.page.keyboard.press('Backspace');
      await input.type(`${name}\n`);
    };
    await chord('E♭');
    await saved('it is another', s => s.chords[0]?.name === 'E♭');
    await chord('');
    await saved('it is gone', s => s.chords.length === 0);
  });

  it('sets the range on the voice’s card, and reads again', async () => {
    await visit.page.select('select[aria-label="Range of Quayside lead"]', 'high');
    await saved('the range is kept', s => s.tracks[0].takes.every(t => t.range === 'high'));
    await visit.until('it is read so', async () => (await visit.text('section[aria-label=Voice]')).includes('as high'));
    await visit.press('Control+z');
    await visit.allRead();
  });

  it('loops a phrase by key, and goes to the next by key', async () => {
    const at = async () => {
      const text = await visit.text('[aria-label=Position] span:last-child');
      const [, minutes, seconds] = /(\d+):(\d+\.\d+)/.exec(text)!;
      return Number(minutes) * 60 + Number(seconds);
    };
    await visit.page.keyboard.press('PageUp');
    await visit.page.keyboard.press('PageUp');
    await visit.press('l');
    // the page shows where it stands a frame later
    let start = NaN;
    await visit.until('it stands still', async () => {
      const before = start;
      start = await at();
      return start === before;
    });
    await visit.press('Space');
    await visit.until('it plays', async () => (await at()) > start + 0.3, 15000);
    const heard = [await at()];
    const end = Date.now() + 15000;
    while (Date.now() < end && !heard.some((t, i) => i && t < heard[i - 1] - 1)) {
      heard.push(await at());
      await new Promise(r => setTimeout(r, 80));
    }
    expect(heard.some((t, i) => i && t < heard[i - 1] - 1)).toBe(true);
    await visit.page.keyboard.press('PageDown');
    await visit.until('it plays the next phrase', async () => (await at()) > start + 4, 15000);
    expect(await visit.page.$eval('[data-testid="comp-2"]', e => e.getAttribute('title'))).toContain('Phrase 2');
    expect(await visit.text('section[aria-label=Cell]')).toMatch(/phrase 2/i);
    await visit.press('Space');
    await visit.press('l');
  });

  it('orders tracks by dragging and by keys', async () => {
    const handle = (name: string) => visit.page.$(`[aria-label="Move ${name}"]`);
    const [from, to] = await Promise.all(['Harm', 'dbl L'].map(async n => (await (await handle(n))!.boundingBox())!));
    await visit.page.mouse.move(from.x + 2, from.y + 10);
    await visit.page.mouse.down();
    // no faster than a hand: the page must have seen each move before the next
    const seen = () => visit.page.evaluate(() => new Promise(go => requestAnimationFrame(() => setTimeout(go, 30))));
    for (let step = 1; step <= 10; step++) {
      await visit.page.mouse.move(from.x + 2, from.y + 10 + ((to.y - 4 - from.y) * step) / 10);
      await seen();
    }
    await visit.page.mouse.up();
    await saved('it is above', s => s.tracks.map(t => t.name)[1] === 'Harm');
    await visit.press('Alt+Shift+ArrowDown');
    await saved('the edited one is moved down', s => s.tracks.map(t => t.name)[1] === 'Quayside lead');
  });

  it('refuses to record without room, before anything is lost', async () => {
    const before = await visit.song();
    await new Promise(r => setTimeout(r, Math.max(0, tightAt - Date.now())));
    await visit.press('r');
    await (await visit.page.waitForSelector('[data-testid=record]'))!.click();
    await visit.noticed('There is no room for a recording: a minute of it takes 12 MB');
    expect(await visit.song()).toEqual(before);
  });

  it('says of a file that storage is full, and brings the others in', async () => {
    const noise = Array.from({ length: 2 }, () => Float32Array.from({ length: RATE * 60 }, () => Math.random() - 0.5));
    await visit.give(
      '[data-testid=track-files]',
      stems.wav('inst.wav', noise),
      stems.wav('dbl C.wav', stems.cut('double', 5, 8)),
    );
    await visit.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
    expect(await visit.text('[data-testid="import-inst.wav"]')).toContain(
      'the browser’s storage is full; free some space on the song shelf',
    );
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="track-dbl C"]', { timeout: 20000 });
    await visit.saved();
    expect((await visit.song()).tracks.map(t => t.name)).not.toContain('inst');
    await unlimited();
  });

  it('deletes a song, puts it back later, and deletes it for good', async () => {
    await visit.page.goto(visit.address);
    const cards = async () => (await visit.page.$$('[data-testid^="song-"]')).length;
    const remove = async () => {
      await (await visit.page.waitForSelector('button[aria-label^="More for"]'))!.click();
      await visit.click('Delete');
      await visit.until('it is off the shelf', async () => (await cards()) === 0, 5000);
      await visit.page.reload();
      await (await visit.page.waitForSelector('section[aria-label=Space] summary'))!.click();
    };
    await remove();
    await visit.click('Put back');
    await visit.until('it is back', async () => (await cards()) === 1, 5000);
    await remove();
    const kept = () => visit.page.evaluate(async () => (await navigator.storage.estimate()).usage ?? 0);
    const before = await kept();
    await visit.click('Delete for good');
    await visit.until(
      'nothing is left',
      async () => !(await visit.text('main, body')).includes('can be put back'),
      8000,
    );
    await visit.until('its recordings are gone', async () => (await kept()) < before - 1e6, 20000);
  });

  it('starts the demo song afresh, keeping what was done as a copy', async () => {
    await visit.page.reload();
    await (await visit.page.waitForSelector('[data-testid=open-demo]'))!.click();
    await visit.notesReady();
    await visit.desk('3');
    await visit.page.waitForSelector('[data-testid=field]');
    await visit.press('Control+a');
    await visit.press('s');
    await visit.until('notes are settled', async () => (await visit.notes()).some(n => n.meant !== 'as sung'));
    await visit.saved();
    await visit.page.goto(visit.address);
    await (await visit.page.waitForSelector('button[aria-label^="More for Ferry Lamp"]'))!.click();
    await visit.click('Start afresh');
    await visit.until('there are two', async () => (await visit.page.$$('[data-testid^="song-"]')).length === 2, 5000);
    await visit.page.goto(`${visit.address}/song/ferry-lamp/tune`);
    await visit.notesReady();
    expect((await visit.notes()).every(n => n.meant === 'as sung')).toBe(true);
  });

  it('follows a recipe in songs of the shelf; at the desk its steps are taken back like any other', async () => {
    const write = (name: string, steps: object[]) => {
      const path = join(visit.downloads, '..', `essim-${process.pid}-${name}`);
      writeFileSync(path, JSON.stringify({ recipe: 1, steps }));
      return path;
    };
    const bad = write('bad.json', [{ do: 'shape', with: { wander: 140 } }]);
    const good = write('house.json', [
      { do: 'settle', on: { tracks: 'lead' } },
      { do: 'mix', on: { tracks: 'lead' }, with: { levelDb: -3 } },
    ]);
    await visit.page.goto(visit.address);
    await visit.give('[data-testid=recipe-file]', bad);
    await visit.noticed('step 1, shape');
    await visit.give('[data-testid=recipe-file]', good);
    await visit.page.waitForSelector('[data-testid=recipe]');
    expect(await visit.violations()).toEqual([]);
    for (const box of (await visit.page.$$('[data-testid=recipe] input[type=checkbox]')).slice(1)) await box.click();
    await visit.click('Follow in 1 song');
    const told = () => visit.text('[data-testid=recipe]');
    await visit.until('it is followed', async () => /(done|unchanged) · /.test(await told()), 60000);
    expect(await told()).toContain('done · 2 in its undo history');
    await visit.click('Close');
    await visit.page.goto(`${visit.address}/song/ferry-lamp/tune`);
    await visit.notesReady();
    const { tracks: done } = await visit.song();
    expect(done.find(t => t.role === 'lead')!.levelDb).toBe(-3);
    expect((await visit.notes()).some(n => n.meant !== 'as sung')).toBe(true);
    await visit.press('Control+z');
    await visit.press('Control+z');
    await visit.saved();
    expect((await visit.notes()).every(n => n.meant === 'as sung')).toBe(true);
    [bad, good].forEach(f => rmSync(f));
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
