import { spawnSync } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  lstatSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  BANDS,
  colourFrames,
  frameLoudness,
  meanColour,
  meanLoudness,
  readMelodies,
  readTake,
  readWav,
  writeMidi,
  unpackFlac,
  writeWav,
  type ShownSong,
} from '@essim/core';
import { singPhrases } from '@essim/demo';
import { essim as run } from './essim';

const root = join(__dirname, '../..');
const folder = mkdtempSync(join(tmpdir(), 'essim-songs-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
process.env.ESSIM_CACHE = at('cache');
jest.setTimeout(120000);

/** The command line as it is called, in this process. @returns what it said was wrong */
async function essim(...args: string[]): Promise<string | null> {
  const said = jest.spyOn(process.stdout, 'write').mockReturnValue(true);
  const before = process.cwd();
  process.chdir(folder);
  try {
    return await run(['node', 'essim', ...args]);
  } finally {
    process.chdir(before);
    said.mockRestore();
  }
}
const json = (name: string, value: unknown) => writeFileSync(at(name), JSON.stringify(value));
const wav = (name: string) => readWav(new Uint8Array(readFileSync(at(name))));
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));
const shown = (name: string) => JSON.parse(readFileSync(at(name), 'utf8')) as ShownSong;

const lead = singPhrases([3], { marks: { '3.2': { cents: -63 } } });
const double = singPhrases([3], { seed: 77 });
const write = (name: string, x: Float32Array) =>
  writeFileSync(at(name), writeWav({ sampleRate: 48000, channels: [x] }, { format: 'int24' }));
write('lead.wav', lead.samples);
write('double.wav', double.samples);
write('short.wav', lead.samples.slice(0, 30000));
writeFileSync(at('letter.wav'), 'Dear choir');

const steps = [
  { do: 'settle', on: { tracks: 'lead' }, with: { to: 'key' } },
  { do: 'shape', on: { tracks: 'Lead', notes: { longer: 400 } }, with: { wander: 40 } },
  { do: 'align', on: { tracks: 'Double' }, with: { closeness: 100, pitchLean: 60 } },
  { do: 'part', on: { tracks: 'Lead' }, with: { steps: 2, name: 'High' } },
  { do: 'mix', on: { tracks: 'Double' }, with: { levelDb: -6, pan: -0.4 } },
];
json('recipe.json', { recipe: 1, steps });

describe('a song', () => {
  beforeAll(async () => {
    const made = await essim(
      'bundle',
      'lead.wav',
      'double.wav',
      '-o',
      'quay.essim',
      '--name',
      'Lead,Double',
      '--key',
      'D major',
      '--tempo',
      '92',
    );
    expect(made).toBeNull();
    expect(await essim('apply', 'recipe.json', 'quay.essim', '-o', 'done.essim')).toBeNull();
    expect(await essim('show', 'done.essim', '--json', 'done.json', '--hints')).toBeNull();
  });

  it('is shown as its desks show it', () => {
    const { tracks, key, scores, hints } = shown('done.json');
    expect(tracks.map(t => [t.name, t.role, t.follows])).toEqual([
      ['Lead', 'lead', null],
      ['High', 'part', null],
      ['Double', 'double', 'Lead'],
    ]);
    expect(key).toEqual({ tonic: 'D', mode: 'major', confidence: 1 });
    expect(scores.inTune).toBeGreaterThan(0.5);
    expect(Array.isArray(hints)).toBe(true);
    for (const n of tracks[0].notes.filter(q => q.end - q.start > 0.3)) {
      expect(Number.isInteger(n.meant)).toBe(true);
      expect(Math.abs(n.now! - n.meant)).toBeLessThan(0.1);
    }
    for (const n of tracks[2].notes) if (n.offsetMs !== null) expect(Math.abs(n.offsetMs)).toBeLessThan(60);
  });

  it('is exported as stems from one zero and equally long, as a track alone, and as a mix', async () => {
    expect(await essim('export', 'done.essim', '-o', 'stems')).toBeNull();
    expect(readdirSync(at('stems')).sort()).toEqual(['Double.wav', 'High.wav', 'Lead.wav']);
    const lengths = readdirSync(at('stems')).map(f => wav(`stems/${f}`).channels[0].length);
    expect(new Set(lengths).size).toBe(1);
    expect(
      await essim('export', 'done.essim', '-o', 'one', '--what', 'track', '--track', 'Lead', '--bits', '32'),
    ).toBeNull();
    const heard = readTake(wav('one/Lead.wav').channels[0], 48000);
    for (const n of heard.notes.filter(q => q.end - q.start > 0.4))
      expect(Math.abs(n.pitch - Math.round(n.pitch))).toBeLessThan(0.1);
    expect(
      await essim(
        'export',
        'done.essim',
        '-o',
        'one',
        '--what',
        'mix',
        '--format',
        'flac',
        '--from',
        '1',
        '--to',
        '2.5',
      ),
    ).toBeNull();
    const mix = await unpackFlac(new Uint8Array(readFileSync(at('one/quay mix.flac'))), 1e6);
    expect(mix.channels).toHaveLength(2);
    expect(mix.channels[0]).toHaveLength(72000);
  });

  it('is written down as MIDI, MusicXML and a pitch line, and mixed to practise with', async () => {
    for (const what of ['midi', 'musicxml', 'line', 'practice'])
      expect(await essim('export', 'done.essim', '-o', `as-${what}`, '--what', what)).toBeNull();
    const { tracks } = shown('done.json');
    const read = readMelodies(new Uint8Array(readFileSync(at('as-midi/quay.mid'))));
    expect(read.map(t => t.name)).toEqual(['Lead', 'High', 'Double']);
    read[0].notes.forEach((n, i) => {
      expect(n.midi).toBe(Math.round(tracks[0].notes[i].meant));
      expect(n.start).toBeCloseTo(tracks[0].notes[i].start, 1);
    });
    const xml = readFileSync(at('as-musicxml/quay.musicxml'), 'utf8');
    expect(xml.match(/<part-name>[^<]+/g)).toEqual(['<part-name>Lead', '<part-name>High', '<part-name>Double']);
    expect(xml).toContain('<fifths>2</fifths>');
    const line = readFileSync(at('as-line/Lead.csv'), 'utf8').split('\n');
    expect(line[0]).toBe('seconds,midi,hz,sung_midi,sung_hz');
    const held = tracks[0].notes.find(n => n.end - n.start > 0.4)!;
    const row = line
      .find(l => Number(l.split(',')[0]) > (held.start + held.end) / 2)!
      .split(',')
      .map(Number);
    expect(Math.abs(row[1] - held.meant)).toBeLessThan(0.5);
    expect(row[2]).toBeCloseTo(440 * 2 ** ((row[1] - 69) / 12), 0);
    expect(readdirSync(at('as-practice')).sort()).toEqual(
      ['Double', 'High', 'Lead'].map(n => `quay, ${n} in front.wav`),
    );
    const mixes = ['Lead', 'Double'].map(n => wav(`as-practice/quay, ${n} in front.wav`).channels[0]);
    expect(same(mixes[0], mixes[1])).toBe(false);
    expect(await essim('export', 'done.essim', '-o', 'x', '--what', 'midi', '--track', 'Choir')).toMatch(
      /no voice "Choir"/,
    );
  });

  it('moves, weighs and colours as a recipe says, measured in what is exported', async () => {
    const before = shown('done.json').tracks[0];
    const sung = before.notes.map((n, i) => ({ ...n, i }));
    const word = sung.find(n => n.end - n.start > 0.4 && (sung[n.i - 1]?.end ?? 0) < n.start - 0.02) ?? sung[0];
    const long = sung.filter(n => n.end - n.start > 0.3).slice(0, 4);
    const last = sung[sung.length - 1];
    const lead_ = { tracks: 'Lead' };
    json('desks.json', {
      recipe: 1,
      steps: [
        { do: 'even-colour', on: { ...lead_, notes: { index: long.map(n => n.i) } }, with: { amount: 100 } },
        { do: 'even-levels', on: lead_, with: { lift: 100, ease: 100 } },
        { do: 'nudge', on: { ...lead_, notes: { index: [word.i] } }, with: { ms: -40 } },
        { do: 'stretch', on: { ...lead_, notes: { index: [last.i] } }, with: { end: last.end + 0.8 } },
        { do: 'noises', on: lead_, with: { kind: 'breath', db: -12 } },
        { do: 'formant', on: { ...lead_, span: [long[0].start, long[0].end] }, with: { semitones: 1 } },
      ],
    });
    expect(await essim('apply', 'desks.json', 'done.essim', '-o', 'desks.essim')).toBeNull();
    expect(await essim('show', 'desks.essim', '--json', 'desks-shown.json')).toBeNull();
    const after = shown('desks-shown.json').tracks[0];
    expect(after.notes[word.i].start - word.start).toBeCloseTo(-0.04, 3);
    expect(after.notes[last.i].end - last.end).toBeCloseTo(0.8, 2);
    const out = async (song: string, folder: string) => {
      expect(
        await essim('export', song, '-o', folder, '--what', 'track', '--track', 'Lead', '--bits', '32'),
      ).toBeNull();
      return wav(`${folder}/Lead.wav`).channels[0];
    };
    const [was, is] = [await out('done.essim', 'was'), await out('desks.essim', 'is')];
    expect(is.length).toBeGreaterThan(was.length - 1);
    const [a, b] = [was, is].map(x => readTake(x, 48000));
    // the same notes at the same pitches, one earlier, the last held on
    expect(b.notes.length).toBe(a.notes.length);
    const held = b.notes[b.notes.length - 1];
    expect(held.end - a.notes[a.notes.length - 1].end).toBeGreaterThan(0.6);
    expect(Math.abs(held.pitch - a.notes[a.notes.length - 1].pitch)).toBeLessThan(0.06);
    // levels of neighbours lie together, colours too
    const loud = (x: Float32Array, n: { start: number; end: number }) => {
      const frames = frameLoudness([x], 48000, 0.005, Math.floor(x.length / 240));
      const list = Array.from(
        { length: Math.round((n.end - n.start - 0.1) * 200) },
        (_, k) => Math.round((n.start + 0.08) * 200) + k,
      );
      return meanLoudness(frames, list)!;
    };
    const spread = (v: number[]) => Math.max(...v) - Math.min(...v);
    const evened = long.map(n => loud(is, after.notes[n.i]));
    expect(spread(evened)).toBeLessThan(0.6 * spread(long.map(n => loud(was, n))));
    const colours = (x: Float32Array, r: typeof a, list: { start: number; end: number }[]) => {
      const { envelope } = colourFrames(x, 48000, r.f0, 0.005, BANDS);
      const each = list.map(n => meanColour(envelope, BANDS.length, (n.start + 0.06) * 200, (n.end - 0.03) * 200)!);
      const off = BANDS.map((_, band) => {
        const mean = each.reduce((sum, c) => sum + c[band], 0) / each.length;
        return each.reduce((sum, c) => sum + (c[band] - mean) ** 2, 0);
      });
      return Math.sqrt(off.reduce((x1, x2) => x1 + x2, 0));
    };
    const now = colours(
      is,
      b,
      long.map(n => after.notes[n.i]),
    );
    expect(now).toBeLessThan(0.5 * colours(was, a, long));
    for (const n of after.noises.filter(q => q.kind === 'breath')) expect(n.gainDb).toBeLessThan(0);
  });

  it('follows a melody from a file beside the recipe, as a guide and as a whole take', async () => {
    const sung = shown('done.json').tracks[0].notes.filter(n => n.end - n.start > 0.3);
    const melody = sung.map(n => ({ start: n.start, end: n.end, midi: Math.round(n.sung) + 2 }));
    writeFileSync(at('tune.mid'), writeMidi('Tune', melody, 92));
    const guide = { do: 'guide', on: { tracks: 'Lead' }, with: { midi: 'tune.mid', track: 'Tune', offset: 0 } };
    const whole = { do: 'whole-take', on: { tracks: 'Lead' }, with: { settleMs: 0, to: 'guide' } };
    for (const [name, then] of [
      ['notes', [{ do: 'settle', on: { tracks: 'Lead' }, with: { to: 'guide' } }]],
      ['whole', [whole]],
      ['cut', [whole, { do: 'into-notes', on: { tracks: 'Lead' } }]],
    ] as const) {
      json(`${name}.json`, { recipe: 1, steps: [guide, ...then] });
      expect(await essim('apply', `${name}.json`, 'quay.essim', '-o', `${name}.essim`)).toBeNull();
      expect(await essim('show', `${name}.essim`, '--json', `${name}-shown.json`)).toBeNull();
      const now = shown(`${name}-shown.json`).tracks[0].notes;
      const off = melody.map(g => {
        const overlap = (n: { start: number; end: number }) => Math.min(n.end, g.end) - Math.max(n.start, g.start);
        const note = now.reduce((best, n) => (overlap(n) > overlap(best) ? n : best));
        return Math.abs(note.now! - g.midi);
      });
      expect([name, Math.max(...off) < 0.2]).toEqual([name, true]);
    }
    json('lost.json', { recipe: 1, steps: [{ ...guide, with: { midi: 'nowhere.mid' } }] });
    const said = await essim('apply', 'lost.json', 'quay.essim', '-o', 'x.essim');
    expect(said).toMatch(/lost\.json: step 1, guide: midi: nowhere\.mid: there is no such file/);
    expect(existsSync(at('x.essim'))).toBe(false);
  });

  it('tells hints of one track by all that sound with it, until they are dismissed', async () => {
    const hints = async (from: string) => {
      await essim('show', from, '--json', 'hints.json', '--hints', '--track', 'Lead');
      return shown('hints.json').hints!;
    };
    // a note put a semitone beside the key
    const note = shown('done.json').tracks[0].notes.findIndex(n => n.end - n.start > 0.3);
    const on = { tracks: 'Lead', notes: { index: [note] } };
    json('astray.json', {
      recipe: 1,
      steps: [
        { do: 'place', on, with: { pitch: 63 } },
        { do: 'unpin', on },
      ],
    });
    await essim('apply', 'astray.json', 'quay.essim', '-o', 'astray.essim');
    const told = await hints('astray.essim');
    expect(told).toContainEqual(expect.objectContaining({ track: 'Lead', kind: 'outside', alternatives: [64, 62] }));
    json('fine.json', { recipe: 1, steps: [{ do: 'dismiss-hints', on }] });
    expect(await essim('apply', 'fine.json', 'astray.essim', '-o', 'fine.essim')).toBeNull();
    expect((await hints('fine.essim')).length).toBeLessThan(told.length);
  });

  it('that nobody edited comes out bit for bit', async () => {
    expect(await essim('export', 'quay.essim', '-o', 'asis', '--what', 'track', '--track', 'Double')).toBeNull();
    expect(
      same(wav('asis/Double.wav').channels[0].subarray(0, double.samples.length), wav('double.wav').channels[0]),
    ).toBe(true);
  });

  it('gives what the same commands give on the files alone', async () => {
    json('settle.json', { recipe: 1, steps: steps.slice(0, 1) });
    await essim('apply', 'settle.json', 'quay.essim', '-o', 'settled.essim');
    await essim('export', 'settled.essim', '-o', 'settled', '--what', 'track', '--track', 'Lead');
    await essim('tune', 'lead.wav', '-o', 'tuned.wav', '--key', 'D major');
    const [song, file] = [wav('settled/Lead.wav').channels[0], wav('tuned.wav').channels[0]];
    // the file is rounded, the song dithered: a step of 24 bits either way
    expect(file.every((v, i) => Math.abs(v - song[i]) < 3 / 2 ** 23)).toBe(true);
  });

  it('is refused where it cannot be used, and nothing is left behind', async () => {
    json('wrong.json', {
      recipe: 1,
      steps: [{ do: 'settle' }, { do: 'settle' }, { do: 'shape', with: { wander: 140 } }],
    });
    json('nobody.json', { recipe: 1, steps: [{ do: 'settle', on: { tracks: 'Choir' } }] });
    for (const [args, reason] of [
      [['apply', 'wrong.json', 'quay.essim', '-o', 'x.essim'], /wrong\.json: step 3, shape: wander 140 is over 100 %/],
      [
        ['apply', 'nobody.json', 'quay.essim', '-o', 'x.essim'],
        /nobody\.json: quay\.essim: step 1, settle: there is no track "Choir"/,
      ],
      [['apply', 'letter.wav', 'quay.essim', '-o', 'x.essim'], /letter\.wav: it is not JSON/],
      [['apply', 'recipe.json', 'letter.wav', '-o', 'x.essim'], /letter\.wav: it is not a song bundle/],
      [['apply', 'recipe.json', 'nowhere.essim', '-o', 'x.essim'], /nowhere\.essim: there is no such file/],
      [['apply', 'recipe.json', 'quay.essim', '-o', 'quay.essim'], /quay\.essim: an input would be written over/],
      [['export', 'quay.essim', '-o', 'y', '--what', 'track', '--track', 'Choir'], /no track "Choir"/],
      [['export', 'quay.essim', '-o', 'y', '--what', 'track'], /--track/],
      [['export', 'quay.essim', '-o', 'y', '--format', 'flac', '--bits', '32'], /--bits/],
      [['export', 'quay.essim', '-o', 'y', '--from', '80'], /--from/],
      [['show', 'quay.essim', '--json', 'quay.essim'], /an input would be written over/],
      [['bundle', 'lead.wav', 'double.wav', '-o', 'x.essim', '--role', 'lead'], /--role: 1 roles/],
      [['bundle', 'lead.wav', '-o', 'x.essim', '--role', 'tenor'], /--role: "tenor"/],
      [['bundle', 'lead.wav', 'letter.wav', '-o', 'x.essim'], /letter\.wav: this is not a WAV file/],
      [['bundle', 'lead.wav', '-o', 'x.essim', '--key', 'H dur'], /--key/],
    ] as const) {
      expect([args, await essim(...args)]).toEqual([args, expect.stringMatching(reason)]);
      expect(existsSync(at('x.essim')) || existsSync(at('y'))).toBe(false);
    }
  });

  it('one of many that fails is named, the others are done', async () => {
    writeFileSync(at('broken.essim'), new Uint8Array(readFileSync(at('quay.essim'))).slice(0, 5000));
    json('quick.json', { recipe: 1, steps: [{ do: 'mix', on: { tracks: 'Lead' }, with: { levelDb: -3 } }] });
    const said = await essim('apply', 'quick.json', 'quay.essim', 'broken.essim', 'done.essim', '-o', 'many');
    expect(said).toMatch(/^1 of 3 songs failed: broken\.essim: it is damaged$/);
    expect(readdirSync(at('many')).sort()).toEqual(['done.essim', 'quay.essim']);
  });
});

describe('the executable', () => {
  const call = (...args: string[]) => spawnSync(join(root, 'essim'), args, { encoding: 'utf8', cwd: folder });

  it('follows a recipe in several songs at once, each in a process of its own', async () => {
    await essim('bundle', 'short.wav', '-o', 'a.essim');
    await essim('bundle', 'short.wav', '-o', 'b.essim');
    json('level.json', { recipe: 1, steps: [{ do: 'mix', with: { levelDb: -3 } }] });
    writeFileSync(at('c.essim'), 'no song');
    const { status, stderr } = call(
      'apply',
      'level.json',
      'a.essim',
      'b.essim',
      'c.essim',
      '-o',
      'jobs',
      '--jobs',
      '2',
    );
    expect(stderr).toBe('essim: 1 of 3 songs failed: c.essim: it is not a song bundle\n');
    expect(status).toBe(1);
    expect(readdirSync(at('jobs')).sort()).toEqual(['a.essim', 'b.essim']);
  });

  it('tells its commands as JSON', () => {
    const { stdout, status } = call('commands', '--json');
    expect(status).toBe(0);
    const { commands } = JSON.parse(stdout) as {
      commands: { name: string; args: { name: string; high?: number }[] }[];
    };
    expect(commands.find(c => c.name === 'shape')!.args.find(a => a.name === 'vibrato')!.high).toBe(200);
  });
});

describe('what is written', () => {
  const read = (...out: string[]) => essim('read', 'short.wav', '--json', ...out);

  it('never goes over an input, by whatever name', async () => {
    symlinkSync(at('short.wav'), at('link.wav'));
    const before = readFileSync(at('short.wav'), 'base64');
    for (const args of [
      ['read', 'short.wav', '--json', 'short.wav'],
      ['read', 'short.wav', '--json', 'link.wav'],
      ['tune', 'short.wav', '-o', 'short.wav', '--key', 'D major'],
      ['tune', 'short.wav', '-o', 'z.wav', '--key', 'D major', '--json', 'short.wav'],
      ['render', 'short.wav', '-o', './short.wav'],
      ['tune', 'short.wav', '-o', 'z.wav', '--key', 'D major', '--json', 'z.wav'],
    ]) {
      expect([args, await essim(...args)]).toEqual([
        args,
        expect.stringMatching(/input would be written over|two results/),
      ]);
      expect(readFileSync(at('short.wav'), 'base64') === before).toBe(true);
      expect(existsSync(at('z.wav'))).toBe(false);
    }
  });

  it('keeps a file’s mode, follows a link, and leaves devices what they are', async () => {
    writeFileSync(at('kept.json'), 'old');
    chmodSync(at('kept.json'), 0o600);
    symlinkSync(at('kept.json'), at('to-kept.json'));
    expect(await read('to-kept.json')).toBeNull();
    expect(lstatSync(at('to-kept.json')).isSymbolicLink()).toBe(true);
    expect(statSync(at('kept.json')).mode & 0o777).toBe(0o600);
    expect(JSON.parse(readFileSync(at('kept.json'), 'utf8'))).toMatchObject({ sampleRate: 48000 });
    expect(await read('/dev/null')).toBeNull();
    expect(statSync('/dev/null').isCharacterDevice()).toBe(true);
  });

  it('does the same with songs, which are written piece by piece', async () => {
    writeFileSync(at('kept.essim'), 'old');
    chmodSync(at('kept.essim'), 0o600);
    symlinkSync(at('kept.essim'), at('to-kept.essim'));
    expect(await essim('bundle', 'short.wav', '-o', 'to-kept.essim')).toBeNull();
    expect(lstatSync(at('to-kept.essim')).isSymbolicLink()).toBe(true);
    expect(statSync(at('kept.essim')).mode & 0o777).toBe(0o600);
    expect(await essim('show', 'kept.essim', '--json', 'kept.json')).toBeNull();
    expect(readdirSync(folder).filter(n => n.includes('.part-'))).toEqual([]);
  });

  it('goes through a pipe', () => {
    const piped = `"${join(root, 'essim')}" read short.wav --json /dev/stdout | cat`;
    const { stdout } = spawnSync('sh', ['-c', piped], { encoding: 'utf8', cwd: folder });
    expect(JSON.parse(stdout)).toMatchObject({ sampleRate: 48000 });
  });

  it('is refused where it would be a folder', async () => {
    mkdirSync(at('folder'));
    expect(await read('folder')).toMatch(/folder: this is a folder/);
  });
});
