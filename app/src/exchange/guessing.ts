import type { ChannelChoice, Role } from '@essim/core';
import type { SoundFacts } from '../sound-files/sound-file';

/** What a file is likely to be. */
export interface FileGuess {
  role: Role;
  /** Name of its track. */
  name: string;
  /** Files of one group are takes of one track. */
  group: string;
  /** Number in its name, for the order of takes. */
  take: number | null;
  pan: number;
  /** Set when the name says it is one of several microphones: files of one group and take belong together. */
  microphone: boolean;
  /** Whether the name told the role; else it was guessed from what else there is. */
  told: boolean;
}

export const plainName = (file: string): string => file.replace(/\.[^.]+$/, '').slice(0, 120) || 'Recording';

const INSTRUMENTS =
  /^(inst|instr|instrumental|backing|backtrack|playback|karaoke|minus|music|band|beat|beats|piano|keys|synth|pad|pads|strings|guitar|gtr|drum|drums|bass|mix|click|organ|track)$/;
const HARMONIES =
  /^(harm|harms|harmony|harmonies|hrm|third|fifth|high|low|hi|lo|upper|lower|soprano|sop|alto|tenor|choir|oohs?|aahs?|bv|bvs|bvox|bgv|bgvs)$/;
const DOUBLES = /^(dbl|dbls|double|doubles|dub|doubler|adt)$/;
const LEADS = /^(lead|leads|ld|lv|vox|vocal|vocals|voc|voice|singer|main|comp)$/;
const VOICES = /^(vox|vocal|vocals|voc|voice|voices|bv|bvs)$/;
const SIDES = new Map([
  ['l', -0.6],
  ['left', -0.6],
  ['r', 0.6],
  ['right', 0.6],
]);
const MICROPHONE = /^(mic|close|room|far|near|amb|ambient|condenser|ribbon|dynamic)(\d*)$/;

/** Guesses from a file's name. @param facts of the samples, once they are known: two unlike channels are no single voice */
export function guessFile(file: string, facts: SoundFacts | null = null): FileGuess {
  const plain = plainName(file);
  const words = plain
    .toLowerCase()
    .replace(/([a-z])(\d)/g, '$1 $2')
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);
  const has = (pattern: RegExp) => words.some(w => pattern.test(w));
  const takeAt = words.findIndex((w, i) => /^(t|tk|take)$/.test(w) && /^\d+$/.test(words[i + 1] ?? ''));
  const lone = words.length > 1 && /^\d{1,2}$/.test(words.at(-1)!) ? words.length - 1 : -1;
  const take = takeAt >= 0 ? Number(words[takeAt + 1]) : lone >= 0 ? Number(words[lone]) : null;
  const side = words.map(w => SIDES.get(w)).find(p => p !== undefined) ?? 0;
  const backingVoices = has(/^backing$/) && has(VOICES);
  const unlike = facts && facts.channelDb.length > 1 && facts.correlation < 0.9;
  let role: Role = unlike ? 'backing' : 'lead';
  let told = true;
  if (has(DOUBLES)) role = 'double';
  else if (backingVoices || has(HARMONIES)) role = 'harmony';
  else if (has(LEADS)) role = 'lead';
  else if (has(INSTRUMENTS)) role = 'backing';
  else if (takeAt >= 0) role = 'lead';
  else told = false;
  const microphone = role !== 'backing' && has(MICROPHONE);
  // the group is the name without its take number and microphone; only names that say "take", or leads, are takes of one track
  const grouped = takeAt >= 0 || (lone >= 0 && role === 'lead' && told);
  const skip = new Set<number>(grouped ? (takeAt >= 0 ? [takeAt, takeAt + 1] : [lone]) : []);
  const kept = words.filter((w, i) => !skip.has(i) && !(microphone && (MICROPHONE.test(w) || /^\d+$/.test(w))));
  return {
    role,
    name: grouped || microphone ? tidyName(plain, kept) : plain,
    group: kept.join(' ') || plain.toLowerCase(),
    take: grouped ? take : null,
    pan: role === 'double' || role === 'harmony' ? side : 0,
    microphone,
    told,
  };
}

/** The words of a name that were kept, as they were written. */
function tidyName(plain: string, kept: string[]): string {
  const written = plain.replace(/([A-Za-z])(\d)/g, '$1 $2').split(/[^\p{L}\p{N}]+/u);
  const left = [...kept];
  const out = written.filter(w => {
    const i = left.indexOf(w.toLowerCase());
    if (i >= 0) left.splice(i, 1);
    return i >= 0;
  });
  const name = out.join(' ') || plain;
  return name[0].toUpperCase() + name.slice(1);
}

/** Roles over a whole list: without any lead, the first file that did not say what it is becomes the lead, others harmonies. */
export function settleRoles<T extends FileGuess>(guesses: T[]): T[] {
  let lead = guesses.some(g => g.told && g.role === 'lead');
  return guesses.map(g => {
    if (g.told || g.role === 'backing') return g;
    if (!lead) {
      lead = true;
      return { ...g, role: 'lead' };
    }
    return { ...g, role: 'backing' };
  });
}

/** Which channels a recording is best used with. */
export function guessChannels(facts: SoundFacts, role: Role): ChannelChoice {
  const [left, right] = facts.channelDb;
  if (right === undefined) return 'stereo';
  if (right < left - 50) return 'left';
  if (left < right - 50) return 'right';
  // a voice recorded on two channels that carry the same is one channel
  return role !== 'backing' && facts.correlation > 0.98 ? 'mix' : 'stereo';
}
