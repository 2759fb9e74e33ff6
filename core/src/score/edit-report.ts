import { keyName } from '../music';
import { HOP } from '../read';
import type { Programme } from '../measure';
import { csvText } from './csv';
import { isVocal, wordOver, type Track } from '../song';
import { type Cents, type Decibels, type HeardSeconds, type Midi, type Span } from '../units';
import { heardMap } from './place';
import { pitchNow } from './pitch-now';
import type { Score } from './score';
import type { TrackNote, TrackSyllable, TrackView } from './track-view';

/** What was done to a song, phrase by phrase, for whoever asked for it: as data and as a table. */

/** What was done to a note, or to a spoken syllable: that has no pitch. */
export interface NoteChange extends Span<HeardSeconds> {
  word: string;
  /** Null: spoken. */
  sung: Midi | null;
  /** Null: spoken, or silent. */
  now: Midi | null;
  /** How far its pitch was moved, how much later it comes, how much louder it is. */
  cents: Cents;
  ms: number;
  db: Decibels;
  /** In words, where the numbers do not tell it. */
  also: string[];
}

export interface PhraseReport extends Span<HeardSeconds> {
  track: string;
  trackId: string;
  /** From 1. */
  number: number;
  words: string;
  checked: boolean;
  /** Notes, and spoken syllables, that are in it, and how many of them were changed. */
  notes: number;
  spoken: number;
  changed: number;
  /** Of the notes that were changed: by how much on the mean and at most. */
  meanCents: Cents;
  mostCents: Cents;
  mostMs: number;
  mostDb: Decibels;
  remarks: { from: 'client' | 'editor'; author: string; text: string; done: boolean }[];
  changes: NoteChange[];
}

export interface EditReport {
  song: string;
  key: string | null;
  tempo: number | null;
  files: ({ name: string } & Programme)[];
  phrases: PhraseReport[];
}

/** Less than that nobody did. */
const LEAST = { cents: 1.5, ms: 2, db: 0.2 };
const round = (v: number, digits: number): number => Math.round(v * 10 ** digits) / 10 ** digits || 0;
/** What silence is told as: tables and data have no minus infinity. */
const SILENCE = -120;

/** @param score with lines as planned @param files what was delivered, as it was measured */
export function editReport(score: Score, files: EditReport['files'] = []): EditReport {
  const { song } = score;
  const { key } = score.key;
  return {
    song: song.name,
    key: key && keyName(key),
    tempo: song.tempo?.bpm ?? null,
    files: files.map(f => ({
      name: f.name,
      integratedLufs: round(Math.max(SILENCE, f.integratedLufs), 2),
      shortTermLufs: round(Math.max(SILENCE, f.shortTermLufs), 2),
      truePeakDb: round(Math.max(SILENCE, f.truePeakDb), 2),
    })),
    // a bounce is the sound of a track that is told of already
    phrases: song.tracks
      .filter(t => isVocal(t) && t.segments.length && !song.tracks.some(o => o.id === t.bouncedFromId))
      .flatMap(t => phrasesOf(score, t)),
  };
}

function phrasesOf(score: Score, track: Track): PhraseReport[] {
  const view = score.view(track.id);
  const bent = heardMap(score.song, track);
  return view.phrases.map((p, i) => {
    const inside = view.syllables.filter(n => (n.start + n.end) / 2 >= p.start && (n.start + n.end) / 2 < p.end);
    const spoken = inside.filter(n => n.spoken).length;
    const changes = inside.flatMap(n => {
      const c = changeOf(view, n, bent ? n.start - bent.backward(n.start) : 0);
      return c ? [c] : [];
    });
    const sungOnes = changes.filter(c => c.sung !== null);
    const most = (of: (c: NoteChange) => number) =>
      changes.reduce((m, c) => (Math.abs(of(c)) > Math.abs(m) ? of(c) : m), 0);
    return {
      track: track.name,
      trackId: track.id,
      number: i + 1,
      start: round(p.start, 3),
      end: round(p.end, 3),
      words:
        p.name ||
        view.words
          .filter(w => w.end > p.start && w.start < p.end)
          .map(w => w.text)
          .join(' '),
      checked: p.checked,
      notes: inside.length - spoken,
      spoken,
      changed: changes.length,
      meanCents: round(sungOnes.reduce((s, c) => s + Math.abs(c.cents), 0) / Math.max(1, sungOnes.length), 1),
      mostCents: most(c => c.cents),
      mostMs: most(c => c.ms),
      mostDb: most(c => c.db),
      remarks: p.remarks.map(r => ({ from: r.from, author: r.author, text: r.text, done: r.done ?? false })),
      changes,
    };
  });
}

const isSung = (n: TrackSyllable): n is TrackNote => !n.spoken;

function changeOf(view: TrackView, n: TrackSyllable, later: number): NoteChange | null {
  const edit = view.edits[n.key] as TrackView['edits'][string] | undefined;
  const note = isSung(n) ? n : null;
  const now = edit?.silent || !note ? null : pitchNow(view, note);
  const sung = note && (pitchNow({ ...view, line: view.sungLine }, note) ?? note.sung);
  const gain = view.gainDb?.subarray(Math.round(n.start / HOP), Math.max(1, Math.round(n.end / HOP)));
  const cents = now === null || sung === null ? 0 : round(100 * (now - sung), 1);
  const ms = round(1000 * later, 1);
  const db = gain?.length ? round(gain.reduce((s, v) => s + v, 0) / gain.length, 1) : 0;
  const also = edit ? inWords(edit) : [];
  if (Math.abs(cents) < LEAST.cents && Math.abs(ms) < LEAST.ms && Math.abs(db) < LEAST.db && !also.length) return null;
  return {
    start: round(n.start, 3),
    end: round(n.end, 3),
    word: wordOver(view.words, n)?.text ?? '',
    sung: sung === null ? null : round(sung, 3),
    now: now === null ? null : round(now, 3),
    cents,
    ms,
    db,
    also,
  };
}

function inWords(e: TrackView['edits'][string]): string[] {
  const out: string[] = [];
  const kept = (name: string, v: number | undefined, usual = 100) =>
    v !== undefined && v !== usual && out.push(`${name} ${Math.round(v)} %`);
  kept('wander', e.wander);
  kept('vibrato', e.vibrato);
  kept('scoop', e.scoop);
  kept('fall', e.fall);
  if (e.glide !== undefined) out.push(`glide ${Math.round(e.glide)} ms`);
  if (e.drawn) out.push('pitch drawn');
  if (e.added) out.push('vibrato added');
  if (e.tilt) out.push(`tilt ${Math.round(e.tilt)} cents`);
  if (e.formant) out.push(`formants ${e.formant > 0 ? '+' : ''}${e.formant} semitones`);
  if (e.silent) out.push(e.silent);
  return out;
}

/** As a table, a row a changed note. */
export function editReportCsv({ phrases }: EditReport): string {
  const head = 'track,phrase,words,word,start s,sung MIDI,now MIDI,cents,ms,dB,also,remarks';
  const rows = phrases.flatMap(p => {
    const remarks = p.remarks.map(r => `${r.done ? 'done: ' : ''}${r.text}`).join('; ');
    const changes: (NoteChange | null)[] = p.changes.length ? p.changes : remarks ? [null] : [];
    return changes.map((c, i) =>
      [
        csvText(p.track),
        p.number,
        csvText(p.words),
        csvText(c?.word ?? ''),
        (c?.start ?? p.start).toFixed(3),
        c?.sung?.toFixed(2) ?? '',
        c?.now?.toFixed(2) ?? '',
        c?.cents ?? '',
        c?.ms ?? '',
        c?.db ?? '',
        csvText(c?.also.join(', ') ?? ''),
        csvText(i ? '' : remarks),
      ].join(','),
    );
  });
  return `${[head, ...rows].join('\r\n')}\r\n`;
}
