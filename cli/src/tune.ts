import {
  analyseVoice,
  claimed,
  guideFrom,
  AS_SUNG,
  keyName,
  splitTake,
  nearestStep,
  parseKey,
  planWholeTake,
  planShapes,
  readMelody,
  readScala,
  renderAll,
  scaleIn,
  scaleNamed,
  scaleOfKey,
  semitones,
  type Guide,
  type GuideSpan,
  type Key,
  type SplitTake,
  type Reading,
  type Scale,
  tuningNamed,
  type NamedScale,
  type NoteShape,
} from '@essim/core';
import { bytesLike, bytesOf, inputFile, named, readingOf, requireOutputs, writeAll } from './files';

export interface TuneOptions {
  output: string;
  key: string;
  scale?: string;
  aim: number;
  wander: number;
  vibrato: number;
  glide?: number;
  scoop: number;
  fall: number;
  wholeTake?: boolean;
  settle: number;
  melody?: string;
  json?: string;
}

/** Under this confidence an estimated key is not trusted. */
const TRUSTED = 0.4;

export function tuneCommand(path: string, options: TuneOptions): void {
  const input = inputFile(path);
  const chosen = options.key === 'auto' ? null : named('--key', () => parseKey(options.key));
  const byName = options.scale === undefined ? null : scaleNamed(options.scale);
  const scaleText = options.scale === undefined || byName ? null : new TextDecoder().decode(bytesOf(options.scale));
  if (scaleText !== null) named(options.scale!, () => readScala(scaleText, null)); // a bad file is told before the work
  const melody =
    options.melody === undefined
      ? null
      : named(options.melody, () => guideFrom('guide', readMelody(bytesOf(options.melody!))));
  requireOutputs(options.output, options.json);

  const reading = readingOf(input);
  const scale = byName
    ? scaleByName(byName, chosen ?? reading.keys[0])
    : chooseScale(reading, chosen, options, scaleText);
  const movements = splitTake(reading);
  const targets = movements.notes.map((n, i) =>
    melody ? meantBy(melody, reading.notes[i], n.centre) : nearestStep(scale, n.centre),
  );
  const { voice, line } = options.wholeTake
    ? planWholeTake(movements, {
        settleMs: options.settle,
        aim: options.aim / 100,
        vibrato: options.vibrato / 100,
        glideMs: options.glide ?? null,
        scale,
        ...(melody ? { guide: guideSpans(melody, reading.hop) } : {}),
      })
    : planShapes(movements, shapes(movements, targets, options));
  const channels = renderAll(analyseVoice(input.channels, input.sampleRate, reading.f0, reading.hop), voice);
  const result = { path: options.output, data: bytesLike(input, channels) };
  const told = options.json && {
    path: options.json,
    data: JSON.stringify({ notes: report(movements, targets, line) }),
  };
  writeAll(told ? [result, told] : [result]);
}

/** A scale by its name, from the key's tonic. */
function scaleByName(found: NamedScale, { tonic, mode }: Key): Scale {
  const key = { tonic, mode: found.mode ?? mode };
  return scaleIn({ tuning: tuningNamed(found, key), referenceHz: 440 }, key);
}

function chooseScale(reading: Reading, chosen: Key | null, options: TuneOptions, scaleText: string | null): Scale {
  const estimate = reading.keys[0];
  const key = chosen ?? (estimate.confidence >= TRUSTED ? estimate : null);
  if (scaleText !== null) return named(options.scale!, () => readScala(scaleText, key));
  if (key) return scaleOfKey(key);
  if (!options.melody)
    process.stderr.write(
      `essim: warning: the key is not clear (${keyName(estimate)} at ${Math.round(estimate.confidence * 100)} %); semitones are used instead\n`,
    );
  return semitones();
}

/** Where the guide's note lies that a sung one is meant to be, cents; null where there is none: such notes stay. */
function meantBy(guide: Guide, note: { start: number; end: number }, centre: number): number | null {
  const found = claimed(guide, { ...note, sung: centre / 100 });
  return found ? found.midi * 100 : null;
}

/** A guide's notes as frames of a reading. */
const guideSpans = ({ notes, fold }: Guide, hop: number): GuideSpan[] =>
  notes.map(n => ({
    start: Math.round(n.start / hop),
    end: Math.round(n.end / hop),
    cents: n.midi * 100,
    fold,
  }));

function shapes(m: SplitTake, targets: (number | null)[], o: TuneOptions): NoteShape[] {
  return m.notes.map((_, i) => ({
    ...AS_SUNG,
    rail: targets[i],
    aim: targets[i] === null ? 0 : o.aim / 100,
    wander: o.wander / 100,
    vibrato: o.vibrato / 100,
    scoop: o.scoop / 100,
    fall: o.fall / 100,
    glide: o.glide ?? null,
  }));
}

/** What was asked of each note and what came of it, MIDI numbers. */
function report(m: SplitTake, targets: (number | null)[], line: Float64Array) {
  return m.notes.map((n, i) => {
    let moved = 0;
    let count = 0;
    for (let k = n.bodyStart; k < n.bodyEnd; k++)
      if (m.voiced[k]) {
        moved += line[k] - m.sung[k];
        count++;
      }
    const round = (cents: number) => Math.round(cents * 100) / 10000;
    return {
      start: m.reading.notes[i].start,
      end: m.reading.notes[i].end,
      sung: round(n.centre),
      target: targets[i] === null ? null : round(targets[i]),
      result: round(n.centre + (count ? moved / count : 0)),
    };
  });
}
