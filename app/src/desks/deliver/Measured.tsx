import { soundsInMix } from '@essim/core';
import { dbText, lufsText, measure, soundsAlike, useDelivering, useMeasured } from '../../exchange/delivering';
import { songOf, useParts } from '../../open-song';
import { chosenDelivery } from './state';

/** Over this a converter or a codec may clip, dB true peak. */
export const CEILING_DB = -1;

export const measureNow = (): Promise<boolean> => measure(chosenDelivery());

/** Loudness and true peak of every file, before it is written. */
export function Measured() {
  const session = useParts('history');
  const song = songOf(session);
  const measured = useMeasured();
  const running = useDelivering();
  if (!song) return null;
  const current = !!measured && soundsAlike(measured.of, song);
  return (
    <section aria-label="Loudness">
      <h3 className="mb-1 flex items-baseline justify-between font-semibold text-ink-2">
        Loudness
        <button
          className="text-[11px] font-semibold text-teal disabled:text-ink-3"
          title="Works out the mix and every stem as they would be written (Y)"
          disabled={!!running || !song.tracks.some(t => soundsInMix(t, song.tracks))}
          onClick={() => void measureNow()}
        >
          {measured ? 'Measure again' : 'Measure'}
        </button>
      </h3>
      {measured ? (
        <table className="w-full text-[11.5px] tabular-nums" aria-label="Loudness of what is written">
          <thead>
            <tr className="text-left text-ink-2">
              <th className="font-medium">File</th>
              <th className="pl-1 text-right font-medium" title="Integrated over the whole, BS.1770-4">
                LUFS
              </th>
              <th className="pl-1 text-right font-medium" title="The loudest three seconds, LUFS">
                3 s
              </th>
              <th className="pl-1 text-right font-medium" title="True peak, dB full scale">
                peak
              </th>
            </tr>
          </thead>
          <tbody>
            {measured.files.map(f => (
              <tr key={f.name} className={current ? '' : 'text-ink-2'}>
                <td className="max-w-0 truncate" style={{ width: '100%' }} title={f.name}>
                  {f.name}
                </td>
                <td className="pl-2 text-right whitespace-nowrap">{plain(lufsText(f.integratedLufs))}</td>
                <td className="pl-2 text-right whitespace-nowrap">{plain(lufsText(f.shortTermLufs))}</td>
                <td
                  className={`pl-2 text-right whitespace-nowrap ${f.truePeakDb > CEILING_DB ? 'font-semibold text-rose' : ''}`}
                  title={f.truePeakDb > CEILING_DB ? `Over ${dbText(CEILING_DB)} true peak` : undefined}
                >
                  {plain(dbText(f.truePeakDb))}
                  {f.truePeakDb > CEILING_DB ? ' !' : ''}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-[11.5px] text-ink-2">
          Integrated and short-term loudness and true peak of every file, before it is written.
        </p>
      )}
      {measured && !current && <p className="mt-1 text-[11.5px] text-amber">The song has changed since.</p>}
    </section>
  );
}

/** Without its unit, which stands over the column. */
const plain = (text: string): string => text.replace(/ (LUFS|dB)$/, '');
