import { noteName, type Key } from '../music';
import { HOP } from '../read';
import { counted, type Midi } from '../units';
import type { EditReport, PhraseReport } from './edit-report';
import type { Score } from './score';
import type { TrackView } from './track-view';

/** The edit report as a page with pictures, for a client's browser. */

const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, c => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[c]!);
const signed = (v: number, digits = 0): string => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(digits)}`;
const plain = (v: number): string => v.toFixed(1).replace('-', '−');
const clock = (t: number): string => `${Math.floor(t / 60)}:${(t % 60).toFixed(1).padStart(4, '0')}`;

const PICTURE = { width: 720, height: 150, margin: 26 };
/** Frames a point of the picture. */
const EVERY = 2;

/** A phrase's line as it was sung, dashed, and as it is heard. */
function picture(view: TrackView, key: Key | null, p: PhraseReport): string {
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
  const named = (pitch: Midi) => escaped(noteName(Math.round(pitch), key));
  const phrase = (p: PhraseReport) =>
    `<section><h3>${escaped(p.track)}, phrase ${p.number}${p.words ? `: ${escaped(p.words)}` : ''}</h3>` +
    `<p class="quiet">${clock(p.start)} to ${clock(p.end)}. ${p.changed} of ${counted(p.notes + p.spoken, p.spoken ? 'syllable' : 'note')} changed${
      p.changed
        ? `: ${p.meanCents.toFixed(0)} cents on the mean, at most ${signed(p.mostCents)} cents, ${signed(p.mostMs)} ms, ${signed(p.mostDb, 1)} dB`
        : ''
    }.${p.checked ? ' Checked.' : ''}</p>` +
    picture(score.view(p.trackId), key, p) +
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
              `<tr><td>${escaped(c.word)}</td><td>${clock(c.start)}</td><td>${c.sung === null ? 'spoken' : named(c.sung)}</td><td>${
                c.now === null ? (c.sung === null ? '' : 'silent') : named(c.now)
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
    `<p>${counted(changed, report.phrases.some(p => p.spoken) ? 'syllable' : 'note')} changed in ${counted(report.phrases.filter(p => p.changed).length, 'phrase')}${
      remarks.length ? `; ${done} of ${counted(remarks.length, 'remark')} done` : ''
    }. As sung is dashed, as it is now is drawn out.</p>${files}${report.phrases.map(phrase).join('')}</body></html>\n`
  );
}
