import { louderBy } from '../measure';
import { BANDS } from '../plan';
import {
  CleanRule,
  FADE_SHAPES,
  NOISE_KINDS,
  NoiseEdit,
  NoiseRule,
  setTake,
  setTrack,
  together,
  type Change,
  type FadeShape,
  type NoiseSort,
  type NoteEdit,
  TONE_OF_PARTS,
  type Track,
  withoutInParts,
  withPart,
} from '../song';
import { noisesOf, pitchedFrames, soundOfNote, sungTones, type SungTone, type TakeSound } from '../score';
import { clamp, counted, overlapOf } from '../units';
import { setting } from './edit-notes';
import {
  countedOf,
  Refused,
  meantSyllables,
  touchedSyllables,
  tracksMeant,
  type Intent,
  type Stage,
  type TargetSyllable,
} from './intent';

/** How loud notes are, what lies between them, and their colour. */

const DB = { kind: 'number', low: -60, high: 24, unit: 'dB', nullable: true } as const;
const signed = (db: number) => `${db > 0 ? '+' : ''}${Math.round(db * 10) / 10} dB`;

/** The notes meant. @throws Refused when there are none */
function someNotes(stage: Stage): TargetSyllable[] {
  const list = meantSyllables(stage);
  if (!list.length) throw new Refused('there are no notes to act on');
  return list;
}

/** An edit with some fields set; what is null or as sung goes. */
function withFields(
  edit: NoteEdit,
  fields: { readonly [K in keyof NoteEdit]?: NoteEdit[K] | null },
  rest: Partial<NoteEdit> = {},
): NoteEdit | null {
  const out = { ...edit } as Record<string, unknown>;
  for (const [k, v] of Object.entries(fields)) {
    if (v === undefined) continue;
    if (v === null || v === (rest as Record<string, unknown>)[k]) delete out[k];
    else out[k] = v;
  }
  return Object.keys(out).length > 2 ? (out as unknown as NoteEdit) : null;
}

const level: Intent = {
  name: 'level',
  title: 'Level',
  about: 'Turns notes up or down at their start, middle and end; null is as sung.',
  on: 'notes',
  args: [
    { name: 'startDb', about: 'at the start', ...DB },
    { name: 'middleDb', about: 'in the middle', ...DB },
    { name: 'endDb', about: 'at the end', ...DB },
  ],
  act(stage, { startDb, middleDb, endDb }) {
    if (startDb === undefined && middleDb === undefined && endDb === undefined) throw new Refused('no level was given');
    const list = someNotes(stage);
    const fields = { startDb, middleDb, endDb } as { startDb?: number; middleDb?: number; endDb?: number };
    const one = fields.startDb === fields.middleDb && fields.middleDb === fields.endDb ? fields.startDb : null;
    const label = `Level ${typeof one === 'number' ? `${signed(one)}, ` : 'of '}${countedOf(list)}`;
    return setting(stage, label, list, e => withFields(e, fields, { startDb: 0, middleDb: 0, endDb: 0 }));
  },
};

const MS = { kind: 'number', low: 0, high: 60000, unit: 'ms', nullable: true } as const;
const fade: Intent = {
  name: 'fade',
  title: 'Fade',
  about: 'Fades notes in and out.',
  on: 'notes',
  args: [
    { name: 'inMs', about: 'from nothing at their start', ...MS },
    { name: 'outMs', about: 'to nothing at their end', ...MS },
    { name: 'shape', about: 'how it runs', kind: 'choice', of: FADE_SHAPES },
  ],
  act(stage, { inMs, outMs, shape }) {
    if (inMs === undefined && outMs === undefined && shape === undefined) throw new Refused('no fade was given');
    const list = someNotes(stage);
    const fields = {
      fadeIn: inMs as number | undefined,
      fadeOut: outMs as number | undefined,
      fadeShape: shape as FadeShape | undefined,
    };
    return setting(stage, `Fade ${countedOf(list)}`, list, e =>
      withFields(e, fields, { fadeIn: 0, fadeOut: 0, fadeShape: 'smooth' }),
    );
  },
};

const silencing = (silent: 'muted' | 'deleted'): Intent => ({
  name: silent === 'muted' ? 'mute' : 'delete',
  title: silent === 'muted' ? 'Mute' : 'Delete',
  about:
    silent === 'muted'
      ? 'Silences notes with their consonants, without a click.'
      : 'Takes notes away with their consonants, without a click; as sung brings them back.',
  on: 'notes',
  args: silent === 'muted' ? [{ name: 'off', about: 'lets them be heard again', kind: 'flag' }] : [],
  act(stage, { off = false }) {
    const list = someNotes(stage);
    const label = `${off ? 'Unmute' : silent === 'muted' ? 'Mute' : 'Delete'} ${countedOf(list)}`;
    return setting(stage, label, list, e => withFields(e, { silent: off ? null : silent }));
  },
});

const SEMITONES = { kind: 'number', low: -12, high: 12, unit: 'semitones', nullable: true } as const;
const formant: Intent = {
  name: 'formant',
  title: 'Formant',
  about:
    'Moves the formants of notes, or of a stretch that cuts through them: a larger or smaller throat; their pitch stays.',
  on: 'notes',
  args: [
    { name: 'semitones', about: 'how far', ...SEMITONES },
    {
      name: 'follow',
      about: 'how far they go along with the pitch',
      kind: 'number',
      low: 0,
      high: 100,
      unit: '%',
      nullable: true,
    },
  ],
  act(stage, { semitones, follow }) {
    if (semitones === undefined && follow === undefined) throw new Refused('neither semitones nor follow was given');
    const values = { formant: semitones as number | undefined, follow: follow as number | null | undefined };
    const said = TONE_OF_PARTS.filter(f => values[f] !== undefined);
    const list = touchedSyllables(stage);
    if (!list.length) throw new Refused('there are no notes to act on');
    return setting(stage, `Formant of ${countedOf(list)}`, list, (e, { part, note }) => {
      // what is said of all of a note is no longer said of its parts
      if (part.whole) return withFields(withoutInParts(e, said), values, { formant: 0, follow: 0 });
      const span = { start: note.place.toTake(part.start), end: note.place.toTake(part.end) };
      const parts = withPart(e.parts ?? [], span, values);
      return withFields(e, { parts: parts.length ? parts : null });
    });
  },
};

const sway: Intent = {
  name: 'sway',
  title: 'Sway',
  about: 'Lets the loudness of notes swing, as a voice does that trembles a little.',
  on: 'notes',
  args: [
    { name: 'db', about: 'from the middle to the top', kind: 'number', low: 0, high: 12, unit: 'dB', required: true },
    { name: 'rateHz', about: 'how often', kind: 'number', low: 0.1, high: 12, unit: 'Hz' },
  ],
  act(stage, { db, rateHz }) {
    const list = someNotes(stage);
    return setting(stage, `Sway of ${countedOf(list)}`, list, e =>
      withFields(
        e,
        db === 0 ? { swayDb: null, swayHz: null } : { swayDb: db as number, swayHz: rateHz as number | undefined },
      ),
    );
  },
};

// ---- what is heard

/** What the sound of a note's take tells. @throws Refused while it was not listened to */
function soundOf({ score }: Stage, { note }: TargetSyllable): TakeSound {
  const sound = soundOfNote(score, note);
  if (!sound) throw new Refused('this take is still being listened to');
  return sound;
}

/** How notes were sung. @throws Refused while one of their takes was not listened to */
function tonesOf(stage: Stage, list: readonly TargetSyllable[]): Map<TargetSyllable, SungTone> {
  const byTrack = new Map<Track, Map<string, SungTone>>();
  return new Map(
    list.map(t => {
      soundOf(stage, t);
      let tones = byTrack.get(t.track);
      if (!tones) {
        const all = sungTones(stage.score, t.track);
        tones = new Map(stage.score.view(t.track.id).syllables.map((n, i) => [n.key, all[i]]));
        byTrack.set(t.track, tones);
      }
      return [t, tones.get(t.note.key)!];
    }),
  );
}

const SHARE = { kind: 'number', low: 0, high: 100, unit: '%' } as const;
const evenLevels: Intent = {
  name: 'even-levels',
  title: 'Even levels',
  about: 'Brings notes to the middle of their phrase in loudness: quiet ones are lifted, loud ones eased.',
  on: 'notes',
  args: [
    { name: 'lift', about: 'how far quiet notes come up', ...SHARE },
    { name: 'ease', about: 'how far loud notes come down', ...SHARE },
  ],
  act(stage, { lift = 0, ease = 0 }) {
    const list = someNotes(stage);
    const tones = tonesOf(stage, list);
    const evened = (t: TargetSyllable) => {
      const { loudDb, phraseDb } = tones.get(t)!;
      const off = loudDb === null || phraseDb === null ? 0 : phraseDb - loudDb;
      return Math.round(1000 * clamp((off * ((off > 0 ? lift : ease) as number)) / 100, -24, 24)) / 1000;
    };
    return setting(stage, `Even levels of ${countedOf(list)}`, list, (e, t) =>
      withFields(e, { evenDb: evened(t), lift: lift as number, ease: ease as number }, { evenDb: 0, lift: 0, ease: 0 }),
    );
  },
};

/** A note's colour is moved by no more than this in any band, dB. */
const MOST_COLOUR = 12;

const evenColour: Intent = {
  name: 'even-colour',
  title: 'Even colour',
  about: 'Brings the colour of notes together; brightness tilts it. Loudness, pitch and time stay.',
  on: 'notes',
  args: [
    { name: 'amount', about: 'how far they come together', ...SHARE },
    { name: 'brightnessDb', about: 'by how much brighter at 8 kHz', kind: 'number', low: -12, high: 12, unit: 'dB' },
  ],
  act(stage, { amount, brightnessDb }) {
    if (amount === undefined && brightnessDb === undefined)
      throw new Refused('neither amount nor brightness was given');
    const list = someNotes(stage);
    const colours = new Map<TargetSyllable, number[]>();
    if (amount) {
      const tones = tonesOf(stage, list);
      const heard = list.flatMap(t => {
        const own = tones.get(t)!.colour;
        return own ? [{ t, own, length: t.note.end - t.note.start }] : [];
      });
      const all = heard.reduce((s, h) => s + h.length, 0);
      const mean = BANDS.map((_, b) => heard.reduce((s, h) => s + (h.own[b] * h.length) / all, 0));
      for (const { t, own } of heard) {
        const off = smoothed(Array.from(own, (v, b) => clamp(mean[b] - v, -MOST_COLOUR, MOST_COLOUR)));
        const loud = louderBy(soundOf(stage, t).colour.power, pitchedFrames(stage.score, t.note), off);
        colours.set(
          t,
          off.map(v => Math.round((v - loud) * 100) / 100),
        );
      }
    }
    return setting(stage, `Even colour of ${countedOf(list)}`, list, (e, t) =>
      withFields(
        e,
        {
          brightness: brightnessDb as number | undefined,
          ...(amount === undefined
            ? {}
            : {
                colour: amount && colours.has(t) ? colours.get(t)! : null,
                colourAmount: amount && colours.has(t) ? (amount as number) : null,
              }),
        },
        { brightness: 0, colourAmount: 100 },
      ),
    );
  },
};

/** Bands lie about a third of an octave apart: a little of their neighbours smooths them. */
const smoothed = (v: readonly number[]): number[] =>
  v.map((x, i) => 0.15 * (v[i - 1] ?? x) + 0.7 * x + 0.15 * (v[i + 1] ?? x));

// ---- noises

const noises: Intent = {
  name: 'noises',
  title: 'Noises',
  about:
    'Turns sibilants, plosives or breaths up or down beside their voices, soft ones left soft; of a span or of chosen notes each one alone.',
  on: 'tracks',
  reads: true,
  args: [
    { name: 'kind', about: 'which', kind: 'choice', of: NOISE_KINDS, required: true },
    { name: 'db', about: 'by how much', kind: 'number', low: -96, high: 12, unit: 'dB' },
    {
      name: 'together',
      about: 'where they coincide with those of the lead',
      kind: 'number',
      low: -96,
      high: 0,
      unit: 'dB',
    },
  ],
  act({ score, target }, args) {
    const kind = args.kind as NoiseSort;
    const { db, together: coinciding } = args as { db?: number; together?: number };
    if (db === undefined && coinciding === undefined) throw new Refused('neither db nor together was given');
    const tracks = tracksMeant({ target });
    const changes: Change[] = [];
    let count = 0;
    for (const track of tracks) {
      if (target.span && db !== undefined) {
        for (const take of track.takes) {
          const reading = score.takes[take.id]?.reading;
          const place = score.view(track.id).syllables.find(n => n.takeId === take.id)?.place;
          if (!reading || !place) continue;
          const span = { start: place.toTake(target.span.start), end: place.toTake(target.span.end) };
          const all =
            kind === 'click'
              ? (score.takes[take.id]?.sound?.().clicks ?? [])
              : noisesOf(reading).filter(n => n.kind === kind);
          const meant = all.filter(n => overlapOf(n, span) > 0.5 * (n.end - n.start));
          if (!meant.length) continue;
          count += meant.length;
          const rest = take.noises.filter(e => !meant.some(n => overlapOf(e, n) > 0));
          const own = meant.map(({ start, end }) =>
            Object.assign(new NoiseEdit(), { start: Math.max(0, start), end, db }),
          );
          changes.push(setTake(track.id, take.id, { noises: [...rest, ...own].sort((a, b) => a.start - b.start) }));
        }
      } else {
        const old = track.noises.find(r => r.kind === kind) ?? new NoiseRule();
        const rule = Object.assign(new NoiseRule(), old, {
          kind,
          ...(db === undefined ? {} : { db }),
          ...(coinciding === undefined ? {} : { together: coinciding }),
        });
        const rest = track.noises.filter(r => r.kind !== kind);
        changes.push(setTrack(track.id, { noises: rule.db || rule.together ? [...rest, rule] : rest }));
        count++;
      }
    }
    if (!count) throw new Refused(`there is no ${kind} here`);
    const of = target.span ? counted(count, kind) : `${kind}s of ${tracks.map(t => t.name).join(', ')}`;
    return {
      label: `${of[0].toUpperCase()}${of.slice(1)}${db === undefined ? '' : ` ${signed(db)}`}`,
      song: together(changes)(score.song),
    };
  },
};

const clean: Intent = {
  name: 'clean',
  title: 'Clean',
  about: 'Quietens a track where nobody sings, and takes mouth clicks out.',
  on: 'tracks',
  args: [
    { name: 'gapsDb', about: 'where nobody sings', kind: 'number', low: -96, high: 0, unit: 'dB' },
    { name: 'clicks', about: 'mouth clicks are taken out', kind: 'flag' },
  ],
  act({ score, target }, { gapsDb, clicks }) {
    if (gapsDb === undefined && clicks === undefined) throw new Refused('neither gapsDb nor clicks was given');
    const tracks = tracksMeant({ target });
    const changes = tracks.map((track: Track) => {
      const rule = Object.assign(new CleanRule(), track.clean, {
        ...(gapsDb === undefined ? {} : { gapsDb: gapsDb as number }),
        ...(clicks === undefined ? {} : { clicks: clicks as boolean }),
      });
      return setTrack(track.id, { clean: rule.gapsDb || rule.clicks ? rule : null });
    });
    return { label: `Clean ${tracks.map(t => t.name).join(', ')}`, song: together(changes)(score.song) };
  },
};

export const TONE_INTENTS: readonly Intent[] = [
  level,
  fade,
  evenLevels,
  noises,
  clean,
  formant,
  evenColour,
  sway,
  silencing('muted'),
  silencing('deleted'),
];
