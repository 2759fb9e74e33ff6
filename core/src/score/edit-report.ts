import { noteName, type Key } from '../music';
import { HOP } from '../read';
import type { Programme } from '../measure';
import { isVocal, wordOver, type Track } from '../song';
import { counted, type Cents, type Decibels, type HeardSeconds, type Midi, type Span } from '../units';
import { heardMap } from './place';
import { pitchNow } from './pitch-now';
import type { Score } from './score';
import type { TrackNote, TrackView } from './track-view';

/** What was done to a song, phrase by phrase, for whoever asked for it: as a page with pictures, as a table, as data. */

/** What was done to a note. */
export interface NoteChange extends Span<HeardSeconds> {
  word: string;
  sung: Midi;
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
  /** From 1. */
  number: number;
  words: string;
  checked: boolean;
  notes: number;
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
    key: key ? `${noteName(key.tonic + 60, key).replace(/\d+$/, '')} ${key.mode}` : null,
    tempo: song.tempo?.bpm ?? null,
    files: files.map(f => ({
      name: f.name,
      integratedLufs: round(Math.max(SILENCE, f.integratedLufs), 2),
      shortTermLufs: round(Math.max(SILENCE, f.shortTermLufs), 2),
      truePeakDb: round(Math.max(SILENCE, f.truePeakDb), 2),
    })),
    phrases: song.tracks.filter(t => isVocal(t) && t.segments.length).flatMap(t => phrasesOf(score, t)),
  };
}

function phrasesOf(score: Score, track: Track): PhraseReport[] {
  const view = score.view(track.id);
  const bent = heardMap(score.song, track);
  return view.phrases.map((p, i) => {
    const notes = view.notes.filter(n => (n.start + n.end) / 2 >= p.start && (n.start + n.end) / 2 < p.end);
    const changes = notes.flatMap(n => {
      const c = changeOf(view, n, bent ? n.start - bent.backward(n.start) : 0);
      return c ? [c] : [];
    });
    const most = (of: (c: NoteChange) => number) =>
      changes.reduce((m, c) => (Math.abs(of(c)) > Math.abs(m) ? of(c) : m), 0);
    return {
      track: track.name,
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
      notes: notes.length,
      changed: changes.length,
      meanCents: changes.length ? round(changes.reduce((s, c) => s + Math.abs(c.cents), 0) / changes.length, 1) : 0,
      mostCents: most(c => c.cents),
      mostMs: most(c => c.ms),
      mostDb: most(c => c.db),
      remarks: p.remarks.map(r => ({ from: r.from, author: r.author, text: r.text, done: r.done ?? false })),
      changes,
    };
  });
}

function changeOf(view: TrackView, n: TrackNote, later: number): NoteChange | null {
  const edit = view.edits[n.key] as TrackView['edits'][string] | undefined;
  const now = edit?.silent ? null : pitchNow(view, n);
  const sung = pitchNow({ ...view, line: view.sungLine }, n) ?? n.sung;
  const gain = view.gainDb?.subarray(Math.round(n.start / HOP), Math.max(1, Math.round(n.end / HOP)));
  const cents = now === null ? 0 : round(100 * (now - sung), 1);
  const ms = round(1000 * later, 1);
  const db = gain?.length ? round(gain.reduce((s, v) => s + v, 0) / gain.length, 1) : 0;
  const also = edit ? inWords(edit) : [];
  if (Math.abs(cents) < LEAST.cents && Math.abs(ms) < LEAST.ms && Math.abs(db) < LEAST.db && !also.length) return null;
  return {
    start: round(n.start, 3),
    end: round(n.end, 3),
    word: wordOver(view.words, n)?.text ?? '',
    sung: round(sung, 3),
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

// ---- as a table

const cell = (text: string): string => `"${(/^[=+\-@\t\r]/.test(text) ? `'${text}` : text).replace(/"/g, '""')}"`;

/** A row a changed note; text that a table program would take for a formula is told as text. */
export function editReportCsv({ phrases }: EditReport): string {
  const head = 'track,phrase,words,word,start s,sung MIDI,now MIDI,cents,ms,dB,also,remarks';
  const rows = phrases.flatMap(p => {
    const remarks = p.remarks.map(r => `${r.done ? 'done: ' : ''}${r.text}`).join('; ');
    const changes: (NoteChange | null)[] = p.changes.length ? p.changes : remarks ? [null] : [];
    return changes.map((c, i) =>
      [
        cell(p.track),
        p.number,
        cell(p.words),
        cell(c?.word ?? ''),
        (c?.start ?? p.start).toFixed(3),
        c ? c.sung.toFixed(2) : '',
        c?.now?.toFixed(2) ?? '',
        c?.cents ?? '',
        c?.ms ?? '',
        c?.db ?? '',
        cell(c?.also.join(', ') ?? ''),
        cell(i ? '' : remarks),
      ].join(','),
    );
  });
  return `${[head, ...rows].join('\r\n')}\r\n`;
}

// ---- as a page

const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, c => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[c]!);
const signed = (v: number, digits = 0): string => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(digits)}`;
const plain = (v: number): string => v.toFixed(1).replace('-', '−');
const clock = (t: number): string => `${Math.floor(t / 60)}:${(t % 60).toFixed(1).padStart(4, '0')}`;

const PICTURE = { width: 720, height: 150, margin: 26 };
/** Frames a point of the picture. */
const EVERY = 2;

/** A phrase's line as it was sung, dashed, and as it is heard. */
function picture({ view, key }: { view: TrackView; key: Key | null }, p: PhraseReport): string {
  const [from, to] = [Math.round(p.start / HOP), Math.round(p.end / HOP)];
  const all = [view.sungLine, view.line].flatMap(l => Array.from(l.subarray(from, to)).filter(v => !Number.isNaN(v)));
  if (!all.length) return '';
  const low = Math.floor(Math.min(...all) - 0.7);
  const high = Math.ceil(Math.max(...all) + 0.7);
  const x = (k: number) => PICTURE.margin + ((k - from) / Math.max(1, to - from)) * (PICTURE.width - PICTURE.margin);
  const y = (m: Midi) => PICTURE.height - ((m - low) / (high - low)) * PICTURE.height;
  const path = (line: Float32Array) => {
    let out = '';
    let pen = false;
    for (let k = from; k < Math.min(to, line.length); k += EVERY) {
      const v = line[k];
      if (Number.isNaN(v)) pen = false;
      else {
        out += `${pen ? 'L' : 'M'}${x(k).toFixed(1)} ${y(v).toFixed(1)}`;
        pen = true;
      }
    }
    return out;
  };
  const rows = Array.from({ length: high - low + 1 }, (_, i) => low + i)
    .map(
      m =>
        `<line class="row" x1="${PICTURE.margin}" x2="${PICTURE.width}" y1="${y(m).toFixed(1)}" y2="${y(m).toFixed(1)}"/>` +
        `<text x="0" y="${(y(m) + 4).toFixed(1)}">${escaped(noteName(m, key))}</text>`,
    )
    .join('');
  return (
    `<svg viewBox="0 0 ${PICTURE.width} ${PICTURE.height}" role="img" aria-label="Pitch of the phrase, as sung dashed, as it is now drawn out">` +
    `${rows}<path class="sung" d="${path(view.sungLine)}"/><path class="now" d="${path(view.line)}"/></svg>`
  );
}

const STYLE =
  'body{font:15px/1.5 "Instrument Sans",system-ui,sans-serif;color:#1f2a37;background:#f5f2ea;max-width:60rem;margin:2rem auto;padding:0 1rem}' +
  'h1,h2,h3{line-height:1.2}section{background:#fbfaf5;border:1px solid #ddd5c5;border-radius:12px;padding:1rem;margin:1rem 0;break-inside:avoid}' +
  'table{border-collapse:collapse;width:100%;font-variant-numeric:tabular-nums}th,td{text-align:left;padding:.15rem .6rem .15rem 0;border-bottom:1px solid #ddd5c5}' +
  'svg{width:100%;height:auto}svg text{font-size:10px;fill:#5d6673}.row{stroke:#ddd5c5}.sung{fill:none;stroke:#5d6673;stroke-dasharray:4 3}.now{fill:none;stroke:#0b7a75;stroke-width:2}' +
  '.quiet{color:#5d6673}ul{list-style:none;padding:0}';

/** A page that stands alone: no script, nothing loaded from anywhere. */
export function editReportHtml(score: Score, report: EditReport): string {
  const { key } = score.key;
  const views = new Map(score.song.tracks.map(t => [t.name, score.view(t.id)]));
  const changed = report.phrases.reduce((n, p) => n + p.changed, 0);
  const remarks = report.phrases.flatMap(p => p.remarks);
  const done = remarks.filter(r => r.done).length;
  const files = report.files.length
    ? `<section><h2>Files</h2><table><tr><th>File</th><th>Integrated</th><th>Loudest 3 s</th><th>True peak</th></tr>${report.files
        .map(
          f =>
            `<tr><td>${escaped(f.name)}</td><td>${plain(f.integratedLufs)} LUFS</td><td>${plain(f.shortTermLufs)} LUFS</td><td>${plain(f.truePeakDb)} dB</td></tr>`,
        )
        .join('')}</table></section>`
    : '';
  const phrase = (p: PhraseReport) =>
    `<section><h3>${escaped(p.track)}, phrase ${p.number}${p.words ? `: ${escaped(p.words)}` : ''}</h3>` +
    `<p class="quiet">${clock(p.start)} to ${clock(p.end)}. ${p.changed} of ${counted(p.notes, 'note')} changed${
      p.changed
        ? `: ${p.meanCents.toFixed(0)} cents on the mean, at most ${signed(p.mostCents)} cents, ${signed(p.mostMs)} ms, ${signed(p.mostDb, 1)} dB`
        : ''
    }.${p.checked ? ' Checked.' : ''}</p>` +
    picture({ view: views.get(p.track)!, key }, p) +
    (p.remarks.length
      ? `<ul>${p.remarks
          .map(
            r =>
              `<li>${r.done ? '☑' : '☐'} ${escaped(r.text)} <span class="quiet">${escaped(r.author || r.from)}, ${r.done ? 'done' : 'open'}</span></li>`,
          )
          .join('')}</ul>`
      : '') +
    (p.changes.length
      ? `<table><tr><th>Word</th><th>At</th><th>Sung</th><th>Now</th><th>Cents</th><th>ms</th><th>dB</th><th>Also</th></tr>${p.changes
          .map(
            c =>
              `<tr><td>${escaped(c.word)}</td><td>${clock(c.start)}</td><td>${escaped(noteName(Math.round(c.sung), key))}</td><td>${
                c.now === null ? 'silent' : escaped(noteName(Math.round(c.now), key))
              }</td><td>${signed(c.cents)}</td><td>${signed(c.ms)}</td><td>${signed(c.db, 1)}</td><td>${escaped(c.also.join(', '))}</td></tr>`,
          )
          .join('')}</table>`
      : '') +
    '</section>';
  return (
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">` +
    `<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">` +
    `<title>${escaped(report.song)}: what was edited</title><style>${STYLE}</style></head><body>` +
    `<h1>${escaped(report.song)}</h1><p>${[report.key, report.tempo && `${report.tempo} bpm`]
      .filter(Boolean)
      .map(t => escaped(String(t)))
      .join(', ')}</p>` +
    `<p>${counted(changed, 'note')} changed in ${counted(report.phrases.filter(p => p.changed).length, 'phrase')}${
      remarks.length ? `; ${done} of ${counted(remarks.length, 'remark')} done` : ''
    }. As sung is dashed, as it is now is drawn out.</p>${files}${report.phrases.map(phrase).join('')}</body></html>\n`
  );
}
