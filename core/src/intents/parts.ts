import { partName, usualCompasses, usualDifferences, voiceNames, type PartLine } from '../parts';
import { choirOf, ledWith, otherNotes, referenceCents, usualAlign, type Score, type TrackNote } from '../score';
import { median } from '../signal/statistics';
import {
  addTrack,
  AlignRule,
  guideFrom,
  isVocal,
  PartRule,
  setTrack,
  together,
  Track,
  withParts,
  type Guide,
  type Song,
} from '../song';
import { counted, type Span } from '../units';
import type { Argument, AskedVoice } from './arguments';
import { withEdits, type NoteChange } from './edit-notes';
import { guideInFile } from './guide';
import { notesOf, Refused, type Intent, type Stage, type TargetNote } from './intent';

/** Parts made from a lead, and how they differ from it. */

/** A name that no track of the song has. */
export function freeName(song: Song, base: string): string {
  let name = base;
  for (let i = 2; song.tracks.some(t => t.name === name); i++) name = `${base} ${i}`;
  return name;
}

/** A new part of a track, and where it goes. @param spans where it sings; null: everywhere */
export function newPart(
  song: Song,
  lead: Track,
  line: PartLine,
  spans: readonly Span[] | null,
  id: string,
  name = partName(line),
): { track: Track; index: number } {
  const { scatter, formant } = usualDifferences(line);
  return madePart(song, lead, spans, id, name, line.amount > 0, {
    ...line,
    scatterTime: scatter,
    scatterPitch: scatter,
    formant: formant + (lead.part?.formant ?? 0),
  });
}

function madePart(
  song: Song,
  lead: Track,
  spans: readonly Span[] | null,
  id: string,
  name: string,
  high: boolean,
  rule: Partial<PartRule>,
): { track: Track; index: number } {
  const where = spans ?? lead.part?.spans ?? null;
  const track: Track = Object.assign(new Track(), {
    id,
    name: freeName(song, name),
    role: 'part',
    colour: high ? 'rose' : 'blue',
    levelDb: -5,
    pan: high ? 0.3 : -0.3,
    part: Object.assign(new PartRule(), {
      fromId: lead.id,
      spans: where && where.map(s => ({ start: Math.max(0, s.start), end: s.end })),
      seed: 1 + song.tracks.filter(t => t.part).length,
      ...rule,
    }),
  });
  const index =
    song.tracks.findIndex(t => t.id === lead.id) + 1 + song.tracks.filter(t => t.part?.fromId === lead.id).length;
  return { track, index };
}

/** The voices a command makes something of. @throws Refused when there are none, or one is a backing */
function voicesMeant({ target }: Pick<Stage, 'target'>): Track[] {
  const leads = target.tracks.map(t => t.track);
  if (!leads.length) throw new Refused('no track is meant');
  const backing = leads.find(t => !isVocal(t));
  if (backing) throw new Refused(`a part is made from a voice; ${backing.name} is none`);
  return leads;
}
const oneVoice = (stage: Pick<Stage, 'target'>): Track => {
  const [lead, ...more] = voicesMeant(stage);
  if (more.length) throw new Refused('it is made of one track at a time');
  return lead;
};
const withTrack = (song: Song, { track, index }: { track: Track; index: number }): Song =>
  withParts(addTrack(track, index)(song));
const SCATTERED = 60;
const THROAT: Argument = {
  name: 'formant',
  about: 'a throat shorter (above 0) or longer',
  kind: 'number',
  low: -12,
  high: 12,
  unit: 'semitones',
};

const part: Intent = {
  name: 'part',
  title: 'Part',
  about: 'Makes a part from a track, by steps of the key or by semitones; over a stretch where one is meant.',
  on: 'tracks',
  args: [
    {
      name: 'steps',
      about: 'steps of the key, 2 is a third up',
      kind: 'number',
      low: -24,
      high: 24,
      unit: 'steps',
      whole: true,
    },
    {
      name: 'semitones',
      about: 'semitones, 12 is an octave up',
      kind: 'number',
      low: -24,
      high: 24,
      unit: 'semitones',
      whole: true,
    },
    { name: 'name', about: 'what it is called', kind: 'text', most: 190 },
  ],
  act({ score, target, newId }, { steps, semitones, name }) {
    if ((steps === undefined) === (semitones === undefined)) throw new Refused('say either steps or semitones');
    const line: PartLine =
      steps === undefined ? { by: 'semitones', amount: semitones as number } : { by: 'steps', amount: steps as number };
    let { song } = score;
    for (const lead of voicesMeant({ target })) {
      const made = newPart(song, lead, line, target.span && [target.span], newId(), name as string | undefined);
      song = withTrack(song, made);
    }
    return { label: `Make ${(name as string | undefined) ?? partName(line)}`, song };
  },
};

const double: Intent = {
  name: 'double',
  title: 'Made double',
  about:
    'Sings a track again, made of itself: for weight an octave below, for sparkle above, or a second voice at its pitch.',
  on: 'tracks',
  args: [
    { name: 'semitones', about: 'how far away', kind: 'number', low: -24, high: 24, unit: 'semitones', whole: true },
    THROAT,
    { name: 'scatter', about: 'how far it differs', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'name', about: 'what it is called', kind: 'text', most: 190 },
  ],
  act({ score, target, newId }, { semitones = 0, formant, scatter: differs, name }) {
    const line: PartLine = { by: 'semitones', amount: semitones as number };
    const usual = usualDifferences(line);
    let { song } = score;
    const leads = voicesMeant({ target });
    for (const lead of leads) {
      const called = (name as string | undefined) ?? `${lead.name.slice(0, 180)} double`;
      const made = madePart(song, lead, target.span && [target.span], newId(), called, line.amount >= 0, {
        ...line,
        scatterTime: (differs as number | undefined) ?? usual.scatter,
        scatterPitch: (differs as number | undefined) ?? usual.scatter,
        // at its own pitch another throat keeps the two from cancelling
        formant: ((formant as number | undefined) ?? (line.amount ? usual.formant : 0.7)) + (lead.part?.formant ?? 0),
      });
      song = withTrack(song, made);
    }
    return { label: `Double ${leads.map(t => t.name).join(', ')}`, song };
  },
};

const chordParts: Intent = {
  name: 'chord-parts',
  title: 'Parts from chords',
  about: 'Makes parts of a track that are led together through the song’s chords, each within its compass.',
  on: 'tracks',
  reads: true,
  args: [
    {
      name: 'voices',
      about: 'one to four, each with its compass; absent: two about the lead',
      kind: 'voices',
      most: 4,
    },
    {
      name: 'seed',
      about: '0: the best way there is; another number: another way',
      kind: 'number',
      low: 0,
      high: 1e9,
      unit: '',
      whole: true,
    },
  ],
  act({ score, target, newId }, { voices, seed = 0 }) {
    const lead = oneVoice({ target });
    if (!score.song.chords.length && !score.key.key) throw new Refused('neither chords nor a key are known yet');
    const { notes } = score.view(lead.id);
    if (!notes.length) throw new Refused(`${lead.name} has no notes yet`);
    const middle = median(notes.map(n => n.sung));
    const asked = (voices as readonly AskedVoice[] | undefined) ?? usualCompasses(2, middle);
    const sorted = [...asked].sort((a, b) => b.low + b.high - a.low - a.high);
    const above = sorted.map(v => (v.low + v.high) / 2 >= middle);
    const names = voiceNames(above);
    const choir = newId();
    let { song } = score;
    sorted.forEach((voice, i) => {
      const name = (voice as AskedVoice).name ?? names[i];
      const made = madePart(song, lead, target.span && [target.span], newId(), name, above[i], {
        by: 'chords',
        low: voice.low,
        high: voice.high,
        choir,
        way: seed as number,
        scatterTime: SCATTERED,
        scatterPitch: SCATTERED,
      });
      // each has a place of its own between left and right
      made.track.pan = sorted.length > 1 ? Math.round((60 * (2 * i)) / (sorted.length - 1) - 60) / -100 : 0.3;
      song = withTrack(song, made);
    });
    return { label: `Make ${counted(sorted.length, 'part')} from chords`, song };
  },
};

const partFrom: Intent = {
  name: 'part-from',
  title: 'Part from a guide',
  about:
    'Makes a part that sings a guide on the words of its lead: a MIDI file’s, or that of a track; absent: the lead’s own.',
  on: 'tracks',
  reads: true,
  args: [
    { name: 'guide', about: 'whose', kind: 'file-or-name', what: 'a MIDI file' },
    { name: 'track', about: 'which of the file’s tracks; absent: that with most notes', kind: 'which' },
    {
      name: 'notes',
      about: 'instead: start, end and pitch of each; none: to be drawn or played',
      kind: 'notes',
      most: 20000,
    },
    { name: 'name', about: 'what it is called', kind: 'text', most: 190 },
  ],
  act(stage, { guide: from, track: which, notes, name }) {
    const { score, target, newId } = stage;
    const lead = oneVoice({ target });
    const made = guideAsked(
      stage,
      lead,
      from as string | undefined,
      which as string | number | undefined,
      notes as never,
    );
    if (!made.notes.length && !notes) throw new Refused('the guide has no notes');
    const sung = score.view(lead.id).notes;
    const high =
      !!made.notes.length && !!sung.length && median(made.notes.map(n => n.midi)) >= median(sung.map(n => n.sung));
    const part = madePart(
      score.song,
      lead,
      target.span && [target.span],
      newId(),
      (name as string | undefined) ?? made.name.slice(0, 190),
      high,
      { by: 'guide', scatterTime: SCATTERED, scatterPitch: SCATTERED },
    );
    part.track.guide = made;
    return { label: `Make ${part.track.name} from a guide`, song: withTrack(score.song, part) };
  },
};

type GuideRow = readonly [start: number, end: number, midi: number];
function guideAsked(
  { score }: Stage,
  lead: Track,
  from: string | undefined,
  which: string | number | undefined,
  notes: readonly GuideRow[] | undefined,
): Guide {
  if (notes && from !== undefined) throw new Refused('only one of guide and notes can be given');
  const asGuide = (name: string, rows: readonly GuideRow[]) =>
    guideFrom(
      name,
      rows.map(([start, end, midi]) => ({ start, end, midi })),
    );
  if (notes) return asGuide('Played', notes);
  if (from === undefined) {
    if (!lead.guide) throw new Refused(`${lead.name} has no guide; say whose`);
    return lead.guide;
  }
  if (from.startsWith('data:')) {
    const { name, notes: rows } = guideInFile(from, which);
    return asGuide(name, rows);
  }
  const other = score.song.tracks.find(t => t.name === from || t.id === from);
  if (!other) throw new Refused(`there is no track "${from}"`);
  if (!other.guide) throw new Refused(`${other.name} has no guide`);
  return other.guide;
}

const anotherWay: Intent = {
  name: 'another-way',
  title: 'Another way',
  about:
    'Leads parts from chords another way: all of a part, or a phrase of all parts led together, or one note of one.',
  on: 'notes',
  args: [
    {
      name: 'seed',
      about: 'which; 0 is the best',
      kind: 'number',
      low: 0,
      high: 1e9,
      unit: '',
      whole: true,
      required: true,
    },
  ],
  act(stage, { seed }) {
    const { score, target, newId } = stage;
    const way = seed as number;
    const meant = notesOf(stage).filter(t => t.track.part?.by === 'chords');
    if (!meant.length) throw new Refused('none of these notes is of a part made from chords');
    const tracks = [...new Set(meant.map(t => t.track))];
    if (!target.span && tracks.every(t => meant.filter(m => m.track === t).length === score.view(t.id).notes.length)) {
      const choirs = new Set(tracks.map(t => t.part!.choir));
      const changes = score.song.tracks
        .filter(t => t.part?.by === 'chords' && choirs.has(t.part.choir))
        .map(t => setTrack(t.id, { part: Object.assign(new PartRule(), t.part, { way }) }));
      return { label: 'Another way', song: together(changes)(score.song) };
    }
    const changes = meant.length === 1 ? [otherNote(score, meant[0], way)] : otherPhrase(score, meant, way);
    const label = meant.length === 1 ? 'Another note' : `Another way for ${counted(meant.length, 'note')}`;
    return { label, song: withEdits(score, changes, newId) };
  },
};

/** A note of a part at another pitch, or resting. */
function sungAt(score: Score, trackId: string, note: TrackNote, midi: number | null): NoteChange {
  const { silent: _, ...edit } = { ...score.view(trackId).edits[note.key], start: note.start, end: note.end };
  if (midi === null) return [note, { ...edit, silent: 'muted' }];
  return [note, { ...edit, target: midi + referenceCents(score.song) / 100 }];
}

function otherNote(score: Score, { track, note }: TargetNote, way: number): NoteChange {
  const { voice, led } = ledWith(score, track, note.takeId);
  // the way it was led is the first of them
  const ways = [led[voice][note.index], ...otherNotes(score, track, note)];
  return sungAt(score, track.id, note, ways[way % ways.length]);
}

function otherPhrase(score: Score, meant: readonly TargetNote[], way: number): NoteChange[] {
  const start = Math.min(...meant.map(t => t.note.start));
  const end = Math.max(...meant.map(t => t.note.end));
  return choirOf(score.song, meant[0].track).flatMap(track => {
    const inside = score.view(track.id).notes.filter(n => n.end > start + 1e-6 && n.start < end - 1e-6);
    return inside.map(note => {
      const { voice, led } = ledWith(score, track, note.takeId, way);
      return sungAt(score, track.id, note, led[voice][note.index]);
    });
  });
}

const partManner: Intent = {
  name: 'manner',
  title: 'Manner',
  about:
    'How parts sing beside their lead: what they keep of its unsteadiness and vibrato, how far they blend, their throat.',
  on: 'tracks',
  args: [
    { name: 'wander', about: 'unsteadiness kept', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'vibrato', about: 'vibrato kept', kind: 'number', low: 0, high: 200, unit: '%' },
    {
      name: 'blend',
      about: 'softer consonants, evener level, a little darker',
      kind: 'number',
      low: 0,
      high: 100,
      unit: '%',
    },
    THROAT,
  ],
  act({ score, target }, args) {
    const parts = target.tracks.map(t => t.track).filter(t => t.part);
    if (!parts.length) throw new Refused('none of these tracks is a part');
    if (!Object.keys(args).length) throw new Refused('nothing was said about how they sing');
    const changes = parts.map(t => setTrack(t.id, { part: Object.assign(new PartRule(), t.part, args) }));
    return { label: `Manner of ${parts.map(t => t.name).join(', ')}`, song: together(changes)(score.song) };
  },
};

const scatter: Intent = {
  name: 'scatter',
  title: 'Scatter',
  about: 'Sets the small natural differences of parts, and of followers that come too near their lead.',
  on: 'tracks',
  args: [
    { name: 'time', about: 'differences in time', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'pitch', about: 'differences in pitch', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'seed', about: 'which draw of them', kind: 'number', low: 1, high: 1e9, unit: '', whole: true },
  ],
  act({ score, target }, { time, pitch, seed }) {
    const list = target.tracks.map(t => t.track).filter(t => t.part ?? t.followsId);
    if (!list.length) throw new Refused('none of these tracks is a part or follows another');
    const fields = {
      ...(time === undefined ? {} : { scatterTime: time as number }),
      ...(pitch === undefined ? {} : { scatterPitch: pitch as number }),
      ...(seed === undefined ? {} : { seed: seed as number }),
    };
    if (!Object.keys(fields).length) throw new Refused('nothing was said about the differences');
    const changes = list.map(t =>
      t.part
        ? setTrack(t.id, { part: Object.assign(new PartRule(), t.part, fields) })
        : setTrack(t.id, { align: Object.assign(new AlignRule(), t.align ?? usualAlign, fields) }),
    );
    return { label: `Scatter ${list.map(t => t.name).join(', ')}`, song: together(changes)(score.song) };
  },
};

export const PART_INTENTS: readonly Intent[] = [part, double, chordParts, partFrom, anotherWay, partManner, scatter];
