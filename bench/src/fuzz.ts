import {
  openBundle,
  readKeyboardMap,
  readMelodies,
  readRecipe,
  readScala,
  readTempoMap,
  readWav,
  seededRandom,
  Song,
  Step,
  unpackFlac,
  packFlac,
  validatedSong,
  writeBundle,
  writeMidi,
  writeWav,
} from '@essim/core';

/** Every reader under damaged and made-up input: no crash of the program, nothing that takes long, a message that says something. */

type Read = (bytes: Uint8Array<ArrayBuffer>) => unknown;
export interface Reader {
  name: string;
  /** Whole, sound input, to be damaged. */
  sound: Uint8Array[];
  read: Read;
}

/** What went wrong with one input. */
export interface Fault {
  reader: string;
  why: string;
  bytes: Uint8Array;
}

const text = (s: string) => new TextEncoder().encode(s);
const asText = (bytes: Uint8Array) => new TextDecoder().decode(bytes);
const rate = 8000;
const tone = Float32Array.from({ length: 400 }, (_, i) => 0.3 * Math.sin(i / 7));
const audio = { sampleRate: rate, channels: [tone, tone] };

const song = Object.assign(new Song(), { id: 's', name: 'Quay', sampleRate: 48000 });
const RECIPE = {
  recipe: 1,
  steps: [
    { do: 'settle', on: { tracks: 'lead', notes: { longer: 200 }, span: [0, 9] }, with: { to: 'key' } },
    { do: 'shape', with: { wander: 40, glideMs: null } },
    {
      do: 'chords',
      with: {
        list: [
          [0, 'D'],
          [4, 'A'],
        ],
      },
    },
  ],
};
const SCALA = '! a.scl\n!\nA scale\n 7\n!\n 203.9\n 5/4\n 498.\n 3/2\n 906.\n 15/8\n 2/1\n';
const KEYS = '! a.kbm\n12\n0\n127\n60\n69\n440.0\n12\n0\n1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n11\n';
const STEP = [
  { at: [], set: { name: 'Lead' } },
  { at: ['chords'], splice: [0, 0, [{ start: 1, name: 'D' }]] },
];

export async function readers(): Promise<Reader[]> {
  const pieces: Uint8Array[] = [];
  await writeBundle(
    song,
    () => Promise.reject(new Error('there are none')),
    {},
    bytes => void pieces.push(bytes.slice()),
  );
  const bundle = new Uint8Array(pieces.reduce((n, p) => n + p.length, 0));
  pieces.reduce((at, p) => (bundle.set(p, at), at + p.length), 0);
  const midi = writeMidi(
    'Tune',
    [60, 62, 64].map((m, i) => ({ start: i, end: i + 0.9, midi: m })),
    92,
  );
  const wav = (['int16', 'int24', 'float32'] as const).map(format => writeWav(audio, { format, timeReference: 9 }));
  return [
    { name: 'WAV', sound: wav, read: readWav },
    {
      name: 'FLAC',
      sound: [await packFlac({ sampleRate: rate, bits: 16, channels: audio.channels })],
      read: bytes => unpackFlac(bytes, 1e6),
    },
    { name: 'MIDI melody', sound: [midi], read: readMelodies },
    { name: 'MIDI tempo map', sound: [midi], read: readTempoMap },
    { name: 'Scala tuning', sound: [text(SCALA)], read: b => readScala(asText(b), null) },
    { name: 'Scala keyboard map', sound: [text(KEYS)], read: b => readKeyboardMap(asText(b), [0, 200, 400], 1200) },
    { name: 'recipe', sound: [text(JSON.stringify(RECIPE))], read: b => readRecipe(JSON.parse(asText(b))) },
    { name: 'document', sound: [text(JSON.stringify(song))], read: b => validatedSong(JSON.parse(asText(b))) },
    { name: 'journal', sound: [text(JSON.stringify(STEP))], read: b => Step.from(JSON.parse(asText(b))).apply(song) },
    {
      name: 'bundle',
      sound: [bundle],
      read: bytes =>
        openBundle({ size: bytes.length, read: (at, n) => Promise.resolve(bytes.slice(at, at + n)) }, () =>
          Promise.resolve(''),
        ),
    },
  ];
}

type Random = ReturnType<typeof seededRandom>;
const whole = (random: Random, below: number) => Math.floor(random.uniform() * below);
/** Numbers that programs stumble over. */
const ODD = [0, 1, 0x7f, 0x80, 0xff];
const WORDS = ['null', '1e999', '-1', '""', '[]', '{}', 'true', '"<script>"', '99999999999', '"__proto__"', '\u0000'];

/** Some bytes otherwise: flipped, put, cut off, doubled, or a word in the place of another. */
export function damaged(sound: Uint8Array, random: Random): Uint8Array<ArrayBuffer> {
  let bytes = sound.slice();
  for (let n = 1 + whole(random, 6); n > 0; n--) {
    const at = whole(random, bytes.length || 1);
    switch (whole(random, 6)) {
      case 0:
        if (bytes.length) bytes[at] ^= 1 << whole(random, 8);
        break;
      case 1:
        if (bytes.length) bytes[at] = ODD[whole(random, ODD.length)];
        break;
      case 2:
        bytes.fill(random.uniform() < 0.5 ? 0xff : 0, at, at + 1 + whole(random, 8));
        break;
      case 3:
        bytes = bytes.slice(0, at);
        break;
      case 4: {
        const piece = bytes.slice(at, at + 1 + whole(random, 40));
        bytes = Uint8Array.of(...bytes.slice(0, at), ...piece, ...bytes.slice(at));
        break;
      }
      default: {
        const word = text(WORDS[whole(random, WORDS.length)]);
        bytes = Uint8Array.of(...bytes.slice(0, at), ...word, ...bytes.slice(at + whole(random, 8)));
      }
    }
  }
  return bytes;
}

const LONGEST_MS = 1000;
/** Errors of a program that stumbled, not of an input that was looked at. */
const STUMBLED = /^(TypeError|ReferenceError|RangeError|InternalError)$/;

/** @param count inputs a reader @returns what went wrong, none of it twice for one reader and reason */
export async function fuzz(list: readonly Reader[], count: number, seed: number): Promise<Fault[]> {
  const random = seededRandom(seed);
  const faults = new Map<string, Fault>();
  for (const { name, sound, read } of list)
    for (let i = 0; i < count; i++) {
      const bytes = damaged(sound[whole(random, sound.length)], random);
      const fault = (why: string) => faults.set(`${name} ${why}`, { reader: name, why, bytes });
      const begun = performance.now();
      try {
        await read(bytes);
      } catch (error) {
        const { name: kind, message } = error as Error;
        // JSON that is none is told by whoever opens the file
        if (kind !== 'SyntaxError' && STUMBLED.test(kind)) fault(`${kind}: ${message}`);
        else if (!message) fault('nothing is said');
      }
      if (performance.now() - begun > LONGEST_MS) fault('it takes longer than a second');
    }
  return [...faults.values()];
}
