import { offsetsOf, type Offset } from '../align';
import { csvText } from './csv';
import { HOP } from '../read';
import { TimeMap, wordOver, type Track } from '../song';
import { overlapOf, type Cents, type HeardSeconds, type Seconds, type Span } from '../units';
import { heardMap, meetingsWithLead, stackLeadOf } from './place';
import type { Score } from './score';

/** A follower beside its lead, syllable by syllable. */

export interface Counterparts {
  lead: Track;
  /** Where its syllables were sung or spoken. */
  syllables: (Span & { onset: Seconds })[];
  /** How early or late each is, as sung and as it is heard. */
  offsets: Offset[];
  /** Where in the lead, as it is heard, a moment of the follower as it is heard belongs. */
  inLead(t: HeardSeconds): HeardSeconds;
  /** Whether a note is sung by the follower alone. */
  alone(note: Span<HeardSeconds>): boolean;
}

/** Null while it follows nobody, or was not aligned. */
export function counterpartsOf(score: Pick<Score, 'song' | 'view'>, track: Track): Counterparts | null {
  const lead = stackLeadOf(score.song, track);
  const meetings = meetingsWithLead(score.song, track);
  if (!lead || !meetings || !track.found) return null;
  const { apart } = track.found;
  const bent = heardMap(score.song, track);
  const sung = (t: HeardSeconds): Seconds => (bent ? bent.backward(t) : t);
  const full = TimeMap.through(meetings);
  const syllables = score
    .view(track.id)
    .syllables.map(n => ({ start: sung(n.start), end: sung(n.end), onset: sung(n.onset) }));
  return {
    lead,
    syllables,
    offsets: offsetsOf(syllables, { map: meetings, apart }, bent ?? TimeMap.identity),
    inLead: t => full.forward(sung(t)),
    alone({ start, end }) {
      const middle = sung((start + end) / 2);
      return apart.some(s => middle >= s.start && middle < s.end);
    },
  };
}

/** Syllables of the lead that sound while a follower's should, the longest in common first. */
export function besideIn<Of extends Span<HeardSeconds>>(
  with_: Counterparts,
  lead: readonly Of[],
  note: Span<HeardSeconds>,
): Of[] {
  const span = { start: with_.inLead(note.start), end: with_.inLead(note.end) };
  return lead.filter(n => overlapOf(n, span) > 0.01).sort((a, b) => overlapOf(b, span) - overlapOf(a, span));
}

/** A syllable of a follower before and after all that was done; null where it has no counterpart. */
export interface SyllableReport {
  track: string;
  trackId: string;
  key: string;
  word: string;
  start: HeardSeconds;
  /** Late is above 0. */
  msBefore: number | null;
  msAfter: number | null;
  /** From the lead's pitch, whole semitones taken off, for a harmony keeps its interval. */
  centsBefore: Cents | null;
  centsAfter: Cents | null;
  /** Length heard over length sung. */
  stretch: number;
}

/** So far off one hears it: what makes a syllable bad. */
const HEARD = { ms: 25, cents: 20 };
const badness = ({ msAfter, centsAfter }: SyllableReport): number =>
  msAfter === null ? -1 : Math.max(Math.abs(msAfter) / HEARD.ms, Math.abs(centsAfter ?? 0) / HEARD.cents);

/** Every syllable of followers, the worst first; those without a counterpart last. */
export function stackReport(score: Pick<Score, 'song' | 'view'>, followers: readonly Track[]): SyllableReport[] {
  const rows = followers.flatMap((track): SyllableReport[] => {
    const beside = counterpartsOf(score, track);
    if (!beside) return [];
    const [view, lead] = [score.view(track.id), score.view(beside.lead.id)];
    let word = '';
    return view.syllables.map((n, i) => {
      const { sung, now, stretch } = beside.offsets[i];
      word = wordOver(view.words, n)?.text ?? '';
      const apart = (own: Float32Array, of: Float32Array) =>
        now === null || n.spoken ? null : centsApart(own, of, n, beside.inLead);
      return {
        track: track.name,
        trackId: track.id,
        key: n.key,
        word,
        start: n.start,
        msBefore: sung === null ? null : 1000 * sung,
        msAfter: now === null ? null : 1000 * now,
        centsBefore: apart(view.sungLine, lead.sungLine),
        centsAfter: apart(view.line.length ? view.line : view.sungLine, lead.line.length ? lead.line : lead.sungLine),
        stretch,
      };
    });
  });
  return rows.sort((a, b) => badness(b) - badness(a));
}

/** The middle of how far a note lies from its lead's pitch where both are sung, whole semitones taken off. */
function centsApart(
  own: Float32Array,
  lead: Float32Array,
  n: Span<HeardSeconds>,
  inLead: (t: HeardSeconds) => HeardSeconds,
): Cents | null {
  const apart: number[] = [];
  for (let k = Math.round(n.start / HOP); k < Math.round(n.end / HOP); k++) {
    const d = 100 * (own[k] - lead[Math.round(inLead(k * HOP) / HOP)]);
    if (!Number.isNaN(d)) apart.push(d);
  }
  if (!apart.length) return null;
  const middle = apart.sort((a, b) => a - b)[apart.length >> 1];
  return middle - Math.round(middle / 100) * 100;
}

/** The report as a table. */
export function stackReportCsv(rows: readonly SyllableReport[]): string {
  const number = (v: number | null, digits: number) => (v === null ? '' : v.toFixed(digits));
  const lines = rows.map(r =>
    [
      csvText(r.track),
      csvText(r.word),
      r.start.toFixed(3),
      number(r.msBefore, 1),
      number(r.msAfter, 1),
      number(r.centsBefore, 1),
      number(r.centsAfter, 1),
      r.stretch.toFixed(3),
    ].join(','),
  );
  return `${['track,word,seconds,ms_before,ms_after,cents_before,cents_after,stretch', ...lines].join('\n')}\n`;
}
