import { partName, usualDifferences, type PartLine } from '../parts';
import { addTrack, isVocal, PartRule, setTrack, together, Track, type Song } from '../song';
import type { Span } from '../units';
import { Refused, type Intent } from './intent';

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
  const high = line.amount > 0;
  const { scatter, formant } = usualDifferences(line);
  const track: Track = Object.assign(new Track(), {
    id,
    name: freeName(song, name),
    role: 'part',
    colour: high ? 'rose' : 'blue',
    levelDb: -5,
    pan: high ? 0.3 : -0.3,
    part: Object.assign(new PartRule(), {
      fromId: lead.id,
      ...line,
      spans: spans && spans.map(s => ({ start: Math.max(0, s.start), end: s.end })),
      seed: 1 + song.tracks.filter(t => t.part).length,
      scatterTime: scatter,
      scatterPitch: scatter,
      formant,
    }),
  });
  const index =
    song.tracks.findIndex(t => t.id === lead.id) + 1 + song.tracks.filter(t => t.part?.fromId === lead.id).length;
  return { track, index };
}

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
    const leads = target.tracks.map(t => t.track);
    if (!leads.length) throw new Refused('no track is meant');
    for (const lead of leads) {
      if (!isVocal(lead) || lead.part)
        throw new Refused(`a part is made from a voice that was sung; ${lead.name} is none`);
      const made = newPart(song, lead, line, target.span && [target.span], newId(), name as string | undefined);
      song = addTrack(made.track, made.index)(song);
    }
    return { label: `Make ${(name as string | undefined) ?? partName(line)}`, song };
  },
};

const scatter: Intent = {
  name: 'scatter',
  title: 'Scatter',
  about: 'Sets the small natural differences of parts.',
  on: 'tracks',
  args: [
    { name: 'time', about: 'differences in time', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'pitch', about: 'differences in pitch', kind: 'number', low: 0, high: 200, unit: '%' },
    { name: 'seed', about: 'which draw of them', kind: 'number', low: 1, high: 1e9, unit: '', whole: true },
  ],
  act({ score, target }, { time, pitch, seed }) {
    const parts = target.tracks.map(t => t.track).filter(t => t.part);
    if (!parts.length) throw new Refused('none of these tracks is a part');
    const fields = {
      ...(time === undefined ? {} : { scatterTime: time as number }),
      ...(pitch === undefined ? {} : { scatterPitch: pitch as number }),
      ...(seed === undefined ? {} : { seed: seed as number }),
    };
    if (!Object.keys(fields).length) throw new Refused('nothing was said about the differences');
    const changes = parts.map(t => setTrack(t.id, { part: Object.assign(new PartRule(), t.part, fields) }));
    return { label: `Scatter ${parts.map(t => t.name).join(', ')}`, song: together(changes)(score.song) };
  },
};

export const PART_INTENTS: readonly Intent[] = [part, scatter];
