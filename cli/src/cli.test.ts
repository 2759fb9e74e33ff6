import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readTake, readWav, writeWav } from '@essim/core';
import { singPhrases } from '@essim/demo';

const root = join(__dirname, '../..');
const folder = mkdtempSync(join(tmpdir(), 'essim-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const at = (name: string) => join(folder, name);
const essim = (...args: string[]) => spawnSync(join(root, 'essim'), args, { encoding: 'utf8', cwd: folder });
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
  it('writes what was heard', () => {
    expect(essim('read', 'take.wav', '--json', 'read.json', '--candidates')).toMatchObject({ status: 0, stderr: '' });
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
  it('gives the input bit for bit when nothing is asked', () => {
    expect(essim('render', 'take.wav', '-o', 'same.wav').status).toBe(0);
    expect(readFileSync(at('same.wav'), 'base64') === readFileSync(at('take.wav'), 'base64')).toBe(true);
  });

  it('keeps rate, channels and depth, and stretches to the sample', () => {
    expect(essim('render', 'stereo.wav', '-o', 'long.wav', '--stretch', '1.25', '--semitones', '-3').status).toBe(0);
    const out = wav('long.wav');
    expect(out).toMatchObject({ sampleRate: 48000, format: 'int16' });
    expect(out.channels).toHaveLength(2);
    expect(out.channels[0].length).toBe(Math.round(samples.length * 1.25));
  });
});

describe('essim tune', () => {
  it('puts notes on the key and tells what it did', () => {
    expect(essim('tune', 'take.wav', '-o', 'tuned.wav', '--key', 'D major', '--json', 'tuned.json').status).toBe(0);
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

  it('takes a scale, faders and whole-take tuning together', () => {
    writeFileSync(at('just.scl'), 'just\n7\n9/8\n5/4\n4/3\n3/2\n5/3\n15/8\n2/1\n');
    expect(
      essim(
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
      ).status,
    ).toBe(0);
    expect(
      essim('tune', 'take.wav', '-o', 'whole.wav', '--key', 'D major', '--whole-take', '--settle', '30').status,
    ).toBe(0);
    expect(wav('whole.wav').channels[0].length).toBe(samples.length);
  });

  it('leaves everything alone at aim 0', () => {
    expect(essim('tune', 'take.wav', '-o', 'alone.wav', '--key', 'D major', '--aim', '0').status).toBe(0);
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
  ])('%j gives one plain line and no file', (args, message) => {
    const { status, stderr } = essim(...args);
    expect(status).not.toBe(0);
    expect(stderr.trim().split('\n')).toHaveLength(1);
    expect(stderr).toMatch(message);
    expect(existsSync(at('x.wav')) || existsSync(at('x.json'))).toBe(false);
  });

  it('helps', () => {
    for (const command of ['read', 'render', 'tune']) {
      const { status, stdout } = essim(command, '--help');
      expect(status).toBe(0);
      expect(stdout).toContain('Usage: essim');
    }
  });
});
