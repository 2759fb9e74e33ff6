import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { likenessOf, median, readMelodies, readTake, readWav, writeMidi, writeWav } from '@essim/core';
import { singChord, singPhrases } from '@essim/demo';
import { essim as run } from './essim';

const root = join(__dirname, '../..');
const folder = mkdtempSync(join(tmpdir(), 'essim-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const at = (name: string) => join(folder, name);
/** The command line as it is called, in this process: beginning anew takes longer than most commands. */
async function essim(...args: string[]): Promise<{ status: number; stdout: string; stderr: string }> {
  const said = jest.spyOn(process.stdout, 'write').mockReturnValue(true);
  const before = process.cwd();
  process.chdir(folder);
  try {
    const wrong = await run(['node', 'essim', ...args]);
    const stdout = said.mock.calls.map(c => String(c[0])).join('');
    return { status: wrong === null ? 0 : 1, stdout, stderr: wrong === null ? '' : `essim: ${wrong}\n` };
  } finally {
    process.chdir(before);
    said.mockRestore();
  }
}
const json = (name: string) => JSON.parse(readFileSync(at(name), 'utf8')) as Record<string, never>;
const wav = (name: string) => readWav(new Uint8Array(readFileSync(at(name))));

const { samples, truth } = singPhrases([3], { marks: { '3.2': { cents: -63 } } });
writeFileSync(at('take.wav'), writeWav({ sampleRate: 48000, channels: [samples] }, { format: 'int24' }));
writeFileSync(
  at('stereo.wav'),
  writeWav({ sampleRate: 48000, channels: [samples, samples.map(v => v / 2)] }, { format: 'int16' }),
);
writeFileSync(at('letter.wav'), 'Dear choir');
writeFileSync(
  at('silent.wav'),
  writeWav({ sampleRate: 48000, channels: [new Float32Array(48000)] }, { format: 'int16' }),
);

describe('essim read', () => {
  it('writes what was heard', async () => {
    expect(await essim('read', 'take.wav', '--json', 'read.json', '--candidates')).toMatchObject({
      status: 0,
      stderr: '',
    });
    const r = json('read.json') as unknown as {
      sampleRate: number;
      hop: number;
      f0: number[];
      notes: object[];
      noises: { kind: string }[];
      key: object;
      candidates: object[];
    };
    expect(r).toMatchObject({ sampleRate: 48000, hop: 0.005 });
    expect(r.f0.length).toBe(Math.floor(samples.length / 48000 / 0.005) + 1);
    expect(r.notes.length).toBeGreaterThan(4);
    expect(Object.keys(r.notes[0])).toEqual(['start', 'end', 'pitch']);
    expect(r.noises.every(n => ['sibilant', 'plosive', 'breath'].includes(n.kind))).toBe(true);
    expect(Object.keys(r.key)).toEqual(['tonic', 'mode', 'confidence']);
    expect(r.candidates.length).toBe(Math.floor((r.f0.length + 1) / 2));
  });
});

describe('essim render', () => {
  it('gives the input bit for bit when nothing is asked', async () => {
    expect((await essim('render', 'take.wav', '-o', 'same.wav')).status).toBe(0);
    expect(readFileSync(at('same.wav'), 'base64') === readFileSync(at('take.wav'), 'base64')).toBe(true);
  });

  it('keeps rate, channels and depth, and stretches to the sample', async () => {
    expect(
      (await essim('render', 'stereo.wav', '-o', 'long.wav', '--stretch', '1.25', '--semitones', '-3')).status,
    ).toBe(0);
    const out = wav('long.wav');
    expect(out).toMatchObject({ sampleRate: 48000, format: 'int16' });
    expect(out.channels).toHaveLength(2);
    expect(out.channels[0].length).toBe(Math.round(samples.length * 1.25));
  });
});

describe('essim tune', () => {
  it('puts notes on the key and tells what it did', async () => {
    expect(
      (await essim('tune', 'take.wav', '-o', 'tuned.wav', '--key', 'D major', '--json', 'tuned.json')).status,
    ).toBe(0);
    const { notes } = json('tuned.json') as unknown as {
      notes: { start: number; end: number; sung: number; target: number; result: number }[];
    };
    for (const n of notes) {
      expect([1, 2, 4, 6, 7, 9, 11]).toContain(n.target % 12);
      if (n.end - n.start > 0.3) expect(Math.abs(n.result - n.target)).toBeLessThan(0.03);
    }
    const heard = readTake(wav('tuned.wav').channels[0], truth.sampleRate);
    const long = heard.notes.filter(n => n.end - n.start > 0.4);
    for (const n of long) expect(Math.abs(n.pitch - Math.round(n.pitch))).toBeLessThan(0.1);
  });

  it('takes a scale, faders and whole-take tuning together', async () => {
    writeFileSync(at('just.scl'), 'just\n7\n9/8\n5/4\n4/3\n3/2\n5/3\n15/8\n2/1\n');
    expect(
      (
        await essim(
          'tune',
          'take.wav',
          '-o',
          'just.wav',
          '--key',
          'D major',
          '--scale',
          'just.scl',
          '--aim',
          '80',
          '--vibrato',
          '50',
          '--glide',
          '60',
        )
      ).status,
    ).toBe(0);
    expect(
      (await essim('tune', 'take.wav', '-o', 'whole.wav', '--key', 'D major', '--whole-take', '--settle', '30')).status,
    ).toBe(0);
    expect(wav('whole.wav').channels[0].length).toBe(samples.length);
  });

  it('leaves everything alone at aim 0', async () => {
    expect((await essim('tune', 'take.wav', '-o', 'alone.wav', '--key', 'D major', '--aim', '0')).status).toBe(0);
    expect(readFileSync(at('alone.wav'), 'base64') === readFileSync(at('take.wav'), 'base64')).toBe(true);
  });
});

describe('bad input', () => {
  it.each([
    [['read', 'nowhere.wav', '--json', 'x.json'], /nowhere\.wav: there is no such file/],
    [['read', 'letter.wav', '--json', 'x.json'], /letter\.wav: this is not a WAV file/],
    [['render', 'silent.wav', '-o', 'x.wav', '--semitones', '2'], /silent\.wav: it is silent/],
    [['render', 'take.wav', '-o', 'x.wav', '--semitones', '99'], /--semitones.*-24 to 24/],
    [['render', 'take.wav', '-o', 'x.wav', '--stretch', 'long'], /--stretch/],
    [['tune', 'take.wav', '-o', 'x.wav', '--key', 'H dur'], /--key: "H dur" is not a key/],
    [['tune', 'take.wav', '-o', 'x.wav', '--melody', 'letter.wav'], /letter\.wav: it is not a MIDI file/],
    [['tune', 'take.wav', '-o', 'nofolder/x.wav', '--key', 'D major'], /nofolder\/x\.wav: it cannot be written/],
    [['tune'], /missing required argument|required option/],
    [['conjure'], /unknown command/],
  ])('%j gives one plain line and no file', async (args, message) => {
    const { status, stderr } = await essim(...args);
    expect(status).not.toBe(0);
    expect(stderr.trim().split('\n')).toHaveLength(1);
    expect(stderr).toMatch(message);
    expect(existsSync(at('x.wav')) || existsSync(at('x.json'))).toBe(false);
  });

  it('helps', async () => {
    for (const command of ['read', 'render', 'tune', 'align', 'parts']) {
      const { status, stdout } = await essim(command, '--help');
      expect(status).toBe(0);
      expect(stdout).toContain('Usage: essim');
    }
  });
});

describe('essim align', () => {
  const double = singPhrases([3], { seed: 77 });
  writeFileSync(at('double.wav'), writeWav({ sampleRate: 48000, channels: [double.samples] }, { format: 'int24' }));

  it('brings a follower to its lead, as long as it was, and tells the matching times', async () => {
    const done = await essim(
      'align',
      'take.wav',
      'double.wav',
      '-o',
      'aligned.wav',
      '--json',
      'map.json',
      '--tie',
      '1.2=1.1!',
    );
    expect(done).toMatchObject({ status: 0, stderr: '' });
    expect(wav('aligned.wav')).toMatchObject({ sampleRate: 48000, format: 'int24' });
    expect(wav('aligned.wav').channels[0]).toHaveLength(double.samples.length);
    const { map, apart } = json('map.json') as unknown as {
      map: { follower: number; lead: number }[];
      apart: object[];
    };
    expect(map.every((p, i) => !i || (p.follower > map[i - 1].follower && p.lead > map[i - 1].lead))).toBe(true);
    expect(map.find(p => p.follower === 1.2)?.lead).toBe(1.1);
    expect(Array.isArray(apart)).toBe(true);
  });

  it('leans to the loudness of its lead by as much as is asked, and keeps its own on the whole', async () => {
    const leaning = async (amount: string) => {
      const name = `lean-${amount}.wav`;
      await essim('align', 'take.wav', 'double.wav', '-o', name, '--closeness', '0', '--level-lean', amount);
      return wav(name).channels[0];
    };
    const [none, half, full] = [await leaning('0'), await leaning('50'), await leaning('100')];
    expect(none).toEqual(wav('double.wav').channels[0]);
    /** Decibels each 50 ms that sounds is turned up or down. */
    const turned = (y: Float32Array) => {
      const power = (x: Float32Array, k: number) => x.subarray(k, k + 2400).reduce((s, v) => s + v * v, 1e-9);
      const places = Array.from({ length: Math.floor(y.length / 2400) }, (_, i) => 2400 * i);
      const loud = places.filter(k => power(none, k) > 2400 * 1e-3);
      return loud.map(k => 10 * Math.log10(power(y, k) / power(none, k)));
    };
    const [less, more] = [turned(half), turned(full)];
    const most = (x: number[]) => Math.max(...x.map(Math.abs));
    expect(most(more)).toBeGreaterThan(0.3);
    expect(most(more)).toBeLessThan(9.1);
    less.forEach((v, i) => expect(Math.abs(v - more[i] / 2)).toBeLessThan(0.4));
    expect(Math.abs(median(more))).toBeLessThan(2);
  });

  it('finds a take to be itself from beginning to end, and changes no sample', async () => {
    await essim('align', 'take.wav', 'double.wav', '-o', 'again.wav', '--closeness', '0');
    expect(wav('again.wav').channels[0]).toEqual(wav('double.wav').channels[0]);
    await essim('align', 'double.wav', 'double.wav', '-o', 'same.wav', '--json', 'same.json');
    expect(wav('same.wav').channels[0]).toEqual(wav('double.wav').channels[0]);
    const { map } = json('same.json') as unknown as { map: { follower: number; lead: number }[] };
    expect(map[0].follower).toBeLessThan(0.01);
    expect(map[map.length - 1].follower).toBeGreaterThan(double.samples.length / 48000 - 0.05);
    for (const p of map) expect(Math.abs(p.follower - p.lead)).toBeLessThan(0.001);
  });

  it('refuses what it cannot use, and leaves nothing behind', async () => {
    for (const [args, said] of [
      [['take.wav', 'silent.wav', '-o', 'no.wav'], 'silent.wav'],
      [['take.wav', 'letter.wav', '-o', 'no.wav'], 'letter.wav'],
      [['take.wav', 'double.wav', '-o', 'no.wav', '--closeness', '120'], '--closeness'],
      [['take.wav', 'double.wav', '-o', 'no.wav', '--tie', '2=1', '1=2'], '--tie'],
      [['take.wav', 'double.wav', 'double.wav', '-o', 'no'], 'double.wav'],
    ] as const) {
      const { status, stderr } = await essim('align', ...args);
      expect(status).not.toBe(0);
      expect(stderr.trim().split('\n')).toHaveLength(1);
      expect(stderr).toContain(said);
    }
    expect(existsSync(at('no.wav')) || existsSync(at('no'))).toBe(false);
  });
});

describe('essim parts', () => {
  it('makes each part in a file of its own, in the key', async () => {
    const done = await essim(
      'parts',
      'take.wav',
      '-o',
      'parts',
      '--key',
      'D major',
      '--part',
      '+3rd',
      '-6th',
      '--json',
      'p.json',
    );
    expect(done).toMatchObject({ status: 0, stderr: '' });
    const { parts } = json('p.json') as unknown as {
      parts: { name: string; file: string; notes: { pitch: number }[] }[];
    };
    expect(parts.map(p => p.name)).toEqual(['+3rd', '-6th']);
    for (const p of parts) {
      // two singers differ by cents, never by a step
      for (const n of p.notes) {
        expect([2, 4, 6, 7, 9, 11, 1]).toContain(Math.round(n.pitch) % 12);
        expect(Math.abs(n.pitch - Math.round(n.pitch))).toBeLessThan(0.2);
      }
      expect(wav(`parts/${p.file}`).channels[0]).toHaveLength(samples.length);
    }
    const heard = readTake(wav(`parts/${parts[0].file}`).channels[0], 48000);
    const near = parts[0].notes.filter(n => heard.notes.some(h => Math.abs(h.pitch - n.pitch) < 0.15));
    expect(near.length).toBeGreaterThan(parts[0].notes.length * 0.8);
  });

  it('makes an octave unlike its lead, the same for the same seed, and plainly when asked', async () => {
    const octave = async (folder: string, ...more: string[]) => {
      const done = await essim('parts', 'take.wav', '-o', folder, '--key', 'D major', '--part', '+8ve', ...more);
      expect(done).toMatchObject({ status: 0, stderr: '' });
      return wav(`${folder}/take +8ve.wav`).channels[0];
    };
    const [usual, again, other] = [await octave('a'), await octave('b'), await octave('c', '--seed', '9')];
    expect(again).toEqual(usual);
    expect(other).not.toEqual(usual);
    const plain = await octave('d', '--scatter', '0');
    const like = (y: Float32Array) => likenessOf(samples, y, 48000).whole;
    expect(like(usual)).toBeLessThan(0.62);
    expect(like(plain)).toBeGreaterThan(like(usual) + 0.05);
  });

  it('leads parts through chords, and lets one sing a melody, as they are told and as they sound', async () => {
    const notes = readTake(samples, 48000).notes;
    writeFileSync(
      at('tune.mid'),
      writeMidi(
        'tune',
        notes.map((n, i) => ({ start: n.start, end: n.end, midi: i % 2 ? 62 : 59 })),
        92,
      ),
    );
    const made = await essim(
      ...['parts', 'take.wav', '-o', 'led', '--key', 'D major', '--chords', 'D A', '--voices', '3'],
      ...['--melody', 'tune.mid', '--scatter', '0', '--json', 'led.json'],
    );
    expect(made).toMatchObject({ status: 0, stderr: '' });
    const { parts } = json('led.json') as unknown as {
      parts: { name: string; file: string; notes: { start: number; pitch: number }[] }[];
    };
    expect(parts.map(p => p.name)).toEqual(['High', 'Low 1', 'Low 2', 'Guide']);
    const guided = parts[3];
    expect(guided.notes.every(n => [59, 62].includes(n.pitch))).toBe(true);
    for (const p of parts) {
      const heard = readTake(wav(`led/${p.file}`).channels[0], 48000);
      const near = p.notes.filter(n =>
        heard.notes.some(h => Math.abs(h.pitch - n.pitch) < 0.2 && Math.abs(h.start - n.start) < 0.2),
      );
      expect(near.length).toBeGreaterThan(p.notes.length * 0.75);
    }
    // no two of the choir cross
    parts[1].notes.forEach((n, i) => expect(n.pitch).toBeLessThanOrEqual(parts[0].notes[i].pitch));
    const refused = async (...args: string[]) =>
      (await essim('parts', 'take.wav', '-o', 'none', '--key', 'D major', ...args)).stderr;
    expect(await refused('--chords', 'D Q')).toContain('--chords: "Q" is no chord');
    expect(await refused('--chords', 'D', '--voices', '5')).toContain('--voices');
    expect(await refused('--melody', 'take.wav')).toContain('take.wav');
    expect(existsSync(at('none'))).toBe(false);
  });

  it('refuses an interval or a key it does not know', async () => {
    expect((await essim('parts', 'take.wav', '-o', 'none', '--key', 'D major', '--part', '+3rds')).stderr).toContain(
      '--part',
    );
    expect((await essim('parts', 'take.wav', '-o', 'none', '--key', 'X', '--part', '+3rd')).stderr).toContain('--key');
    expect((await essim('parts', 'take.wav', '-o', 'none', '--key', 'D major')).stderr).toContain('--part');
    expect(existsSync(at('none'))).toBe(false);
  });
});

describe('essim unpick', () => {
  it('takes a chord apart, a line a singer', async () => {
    const { samples: chord, lines } = singChord(2, [2], 91);
    writeFileSync(at('chord.wav'), writeWav({ sampleRate: 48000, channels: [chord] }, { format: 'int24' }));
    const done = await essim('unpick', 'chord.wav', '-o', 'chord.mid', '--voices', '2', '--json', 'chord.json');
    expect(done).toMatchObject({ status: 0, stderr: '' });
    const { notes } = json('chord.json') as unknown as {
      notes: { start: number; end: number; pitch: number; line: number }[];
    };
    for (const [line, truth] of lines.entries()) {
      const found = truth.filter(t =>
        notes.some(n => n.line === line && Math.abs(n.pitch - t.sung) < 0.5 && n.start < t.end && n.end > t.start),
      );
      expect(found.length / truth.length).toBeGreaterThan(0.8);
    }
    const tracks = readMelodies(new Uint8Array(readFileSync(at('chord.mid'))));
    expect(tracks.map(t => t.name)).toEqual(['Line 1', 'Line 2']);
    expect(tracks.flatMap(t => t.notes)).toHaveLength(notes.length);
    expect((await essim('unpick', 'chord.wav', '-o', 'x.mid', '--voices', '9')).stderr).toContain('--voices');
    expect((await essim('unpick', 'letter.wav', '-o', 'x.mid')).stderr).toContain('letter.wav');
    expect(existsSync(at('x.mid'))).toBe(false);
  });
});

test('the executable runs from source and says in one line what is wrong', () => {
  const { status, stderr } = spawnSync(join(root, 'essim'), ['read', 'nowhere.wav', '--json', 'x.json'], {
    encoding: 'utf8',
    cwd: folder,
  });
  expect(status).toBe(1);
  expect(stderr).toBe('essim: nowhere.wav: there is no such file\n');
});
