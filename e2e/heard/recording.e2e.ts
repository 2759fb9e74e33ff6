import { readWav } from '@essim/core';
import { Visit } from '../browser';
import { RATE, Stems } from '../stems';

/** Recording from the browser's microphone, for which a loud file stands in, and what happens when storage runs short. */
describe('recording and room', () => {
  let visit: Visit;
  const stems = new Stems();
  beforeAll(async () => {
    const [lead] = stems.cut('lead', 5, 16.2);
    const loud = stems.wav('too loud.wav', [lead.map(v => Math.max(-1, Math.min(1, v * 20)))], { format: 'int16' });
    visit = await Visit.begin([
      '--use-fake-ui-for-media-stream',
      '--use-fake-device-for-media-stream',
      `--use-file-for-fake-audio-capture=${loud}`,
    ]);
  });
  afterAll(async () => {
    await visit.end();
    stems.clear();
  });

  const bar = () => visit.text('section[aria-label=Recording]');
  it('records what the microphone hears, with a count-in, and says when it clips', async () => {
    await visit.give('[data-testid=files]', stems.wav('lead t1.wav', stems.cut('lead', 5, 16.2)));
    await visit.bringIn();
    await visit.page.waitForSelector('[data-testid="take-lead t1"]', { timeout: 20000 });
    await visit.allRead();
    await visit.press('r');
    await visit.page.waitForSelector('[data-testid=record]');
    await visit.page.click('[data-testid=record]');
    await visit.until('it records', async () => (await bar()).includes('Recording. Every second is kept'), 20000);
    await visit.until('it says that it clips', async () =>
      /clipped \d+ samples?: turn the input down/.test(await bar()),
    );
    // three seconds of sound, however slow the machine is
    const position = async () => {
      const [, minutes, seconds] = /(\d+):(\d\d\.\d\d)/.exec(await visit.text('footer'))!;
      return 60 * Number(minutes) + Number(seconds);
    };
    const from = await position();
    await visit.until('three seconds are recorded', async () => (await position()) > from + 3);
    await visit.press('r');
    await visit.page.waitForSelector('[data-testid="take-Take 2"]', { timeout: 20000 });
    await visit.allRead();
    const [track] = (await visit.song()).tracks;
    expect(track.takes.map(t => t.name)).toEqual(['lead t1', 'Take 2']);
    // the comp stays as it was until somebody chooses the new take
    expect(track.segments.map(g => g.takeId)).toEqual([track.takes[0].id]);
    await visit.click('all', '*[@data-testid="take-Take 2"]//button');
    await visit.saved();
    await visit.press('Control+e');
    const { channels, sampleRate } = readWav(await visit.downloaded());
    expect(sampleRate).toBe(RATE);
    expect(channels[0].length).toBeGreaterThan(RATE);
    expect(channels[0].some(v => Math.abs(v) > 0.9)).toBe(true);
  });

  it('reports no error anywhere', () => expect(visit.problems).toEqual([]));
});
