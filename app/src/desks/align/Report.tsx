import { stackReport, stackReportCsv, tidyFileName, UNNATURAL, type SyllableReport, type Track } from '@essim/core';
import { useState } from 'react';
import { download } from '../../exchange/download';
import { editTrack, goToMoment, scoreOf, songOf, useParts, type SessionState } from '../../open-song';
import { BeforeAfter } from '../BeforeAfter';
import { chooseLeaf } from './tying';

/** Every syllable of the stack's followers, before and after; the worst first. */

/** Syllables so near count as together, ms. */
const TOGETHER = 20;
const FIRST = 8;
/** Columns of the chart, ms from the lead. */
const COLUMNS = [-100, -60, -40, -20, 0, 20, 40, 60, 100];

let last: { of: unknown[]; rows: SyllableReport[] } = { of: [], rows: [] };
/** Told anew when a gesture ends: not in the middle of a drag. */
function rowsOf(session: SessionState, followers: readonly Track[]): SyllableReport[] {
  if (session.draft && last.rows.length) return last.rows;
  const score = scoreOf(session);
  const of = [songOf(session), ...followers.flatMap(t => [score.view(t.id), score.view(t.followsId ?? '')])];
  if (last.of.length !== of.length || !last.of.every((v, i) => v === of[i]))
    last = { of, rows: stackReport(score, followers) };
  return last.rows;
}

const signed = (v: number | null, unit = ''): string =>
  v === null ? '·' : `${v > 0.5 ? '+' : v < -0.5 ? '−' : ''}${Math.abs(Math.round(v))}${unit}`;

export function StackReport({ followers, confidence }: { followers: readonly Track[]; confidence: number }) {
  const session = useParts('history', 'draft', 'views', 'takes', 'editTrackId');
  const [all, setAll] = useState(false);
  const rows = rowsOf(session, followers);
  const paired = rows.filter(r => r.msAfter !== null);
  const alone = rows.filter(r => r.msAfter === null);
  const bent = paired.filter(r => r.stretch > UNNATURAL || r.stretch < 1 / UNNATURAL);
  const near = (of: (r: SyllableReport) => number | null) => paired.filter(r => Math.abs(of(r)!) <= TOGETHER).length;
  const column = (ms: number) => COLUMNS.reduce((a, b) => (Math.abs(b - ms) < Math.abs(a - ms) ? b : a));
  const counts = COLUMNS.map(at => ({
    at,
    was: paired.filter(r => column(r.msBefore!) === at).length,
    now: paired.filter(r => column(r.msAfter!) === at).length,
  }));
  const go = (r: SyllableReport) => {
    editTrack(r.trackId);
    chooseLeaf(r.trackId, r.key);
    goToMoment(r.start);
  };
  const several = followers.length > 1;
  return (
    <section aria-label="Report">
      <h3 className="mb-1 flex items-baseline justify-between font-semibold text-ink-2">
        {several ? 'The whole stack' : 'Whole song'}
        <button
          className="text-[11px] font-semibold text-teal"
          title="Every syllable, before and after, as a table"
          onClick={() =>
            download(
              `${tidyFileName(songOf(session)!.name, 'alignment')}.csv`,
              new Blob([stackReportCsv(rows)], { type: 'text/csv' }),
            )
          }
        >
          CSV
        </button>
      </h3>
      <div className="card tabular-nums">
        <p className="flex justify-between" data-testid="together">
          <span>Syllables together</span>
          <b>
            {near(r => r.msAfter)} of {paired.length}
          </b>
        </p>
        <p className="flex justify-between text-ink-2">
          <span>as sung</span>
          <span>{near(r => r.msBefore)}</span>
        </p>
        <Listed title="Only in one voice" rows={alone} onGo={go} />
        <Listed title="Bent too far" rows={bent} onGo={go} />
      </div>
      <BeforeAfter
        rows={counts}
        label={counts.map(c => `${c.at} ms: ${c.now}, as sung ${c.was}`).join('; ')}
        place={at => `${at} ms from the lead`}
        barSize={12}
        height={74}
        every={2}
      />
      <table className="mt-1 w-full text-[11.5px] tabular-nums" aria-label="Syllables, the worst first">
        <thead className="text-left text-ink-2">
          <tr>
            <th className="font-medium">Worst first</th>
            <th className="text-right font-medium">ms, was</th>
            <th className="text-right font-medium">cents, was</th>
          </tr>
        </thead>
        <tbody>
          {paired.slice(0, all ? 200 : FIRST).map(r => (
            <tr key={`${r.trackId} ${r.key}`}>
              <td className="max-w-0 truncate">
                <button className="font-semibold text-teal" onClick={() => go(r)}>
                  {r.word || '…'}
                </button>
                {several && <span className="ml-1 text-ink-2">{r.track}</span>}
              </td>
              <td className="text-right">
                {signed(r.msAfter)}
                <span className="text-ink-2">, {signed(r.msBefore)}</span>
              </td>
              <td className="text-right">
                {signed(r.centsAfter)}
                <span className="text-ink-2">, {signed(r.centsBefore)}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {paired.length > FIRST && (
        <button className="mt-0.5 text-[11px] font-semibold text-teal" onClick={() => setAll(!all)}>
          {all ? 'Fewer' : `All ${paired.length}`}
        </button>
      )}
      {confidence < DOUBTFUL && <p className="mt-1.5 text-amber">The two hardly match. Do they sing the same words?</p>}
    </section>
  );
}

/** Less than this of what matches stands out from what does not: the pair may be of different words. */
const DOUBTFUL = 0.2;

function Listed({
  title,
  rows,
  onGo,
}: {
  title: string;
  rows: readonly SyllableReport[];
  onGo: (r: SyllableReport) => void;
}) {
  return (
    <p className="mt-1 flex justify-between">
      <span>{title}</span>
      <span className="text-right">
        {rows.length}
        {rows.slice(0, 2).map(r => (
          <button key={`${r.trackId} ${r.key}`} className="ml-1 font-semibold text-teal" onClick={() => onGo(r)}>
            “{r.word || '…'}”
          </button>
        ))}
      </span>
    </p>
  );
}
