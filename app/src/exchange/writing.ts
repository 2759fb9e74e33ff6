import {
  counted,
  editReport,
  editReportCsv,
  editReportHtml,
  pitchLineCsv,
  stemNames,
  tidyFileName,
  type MidiOptions,
  type Track,
  writeMusicXml,
  writeSongMidi,
  writtenSong,
} from '@essim/core';
import { strToU8, zipSync } from 'fflate';
import { toast } from 'sonner';
import { isVocal, scoreOf, songOf, useSession, viewOf } from '../open-song';
import { allPlanned } from '../open-song/planning';
import { measure, soundsAlike, useDelivering, useMeasured, type DeliveryOptions } from './delivering';
import { download } from './download';
import { notReady } from './rendering';

/** What is written of a song besides its sound: its voices as notes, and what was done to it. */

/** What was done, phrase by phrase, as a page with pictures, a table and data, in a zip; what is delivered is measured first. */
export async function writeReport(options: Omit<DeliveryOptions, 'kind'>): Promise<void> {
  const song = songOf(useSession.getState());
  if (!song || useDelivering.getState()) return;
  const measured = useMeasured.getState();
  if (!(measured?.kind === 'measures' && soundsAlike(measured.of, song)) && !(await measure(options))) return;
  await allPlanned();
  const s = useSession.getState();
  if (songOf(s)?.id !== song.id) return;
  const score = scoreOf(s);
  const report = editReport(score, useMeasured.getState()!.files);
  const name = `${tidyFileName(song.name, 'report')}.zip`;
  const bytes = zipSync({
    'report.html': strToU8(editReportHtml(score, report)),
    'report.csv': strToU8(editReportCsv(report)),
    'report.json': strToU8(JSON.stringify(report, null, 1)),
  });
  download(name, new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'application/zip' }));
  const changed = report.phrases.reduce((n, p) => n + p.changed, 0);
  toast.success(`${name}: ${counted(changed, 'note')} changed in ${counted(report.phrases.length, 'phrase')}.`);
}

/** The voices that can be written down; null, and it is said why, where there are none. */
function voicesToWrite(): Track[] | null {
  const voices = songOf(useSession.getState())?.tracks.filter(t => isVocal(t) && t.segments.length) ?? [];
  const why = notReady(voices);
  if (!why) return voices;
  toast.error(voices.length ? why : 'Nobody sings here yet.', { id: 'deliver' });
  return null;
}

/** The voices of the song written down, with words: as MusicXML, a staff a voice, or as MIDI. */
export function writeDown(as: 'musicxml' | 'midi', midi: MidiOptions): void {
  const s = useSession.getState();
  const voices = voicesToWrite();
  if (!voices) return;
  const written = writtenSong(scoreOf(s), voices);
  const name = `${tidyFileName(songOf(s)!.name) || 'Song'}.${as === 'midi' ? 'mid' : 'musicxml'}`;
  const made =
    as === 'midi'
      ? new Blob([writeSongMidi(written, midi) as Uint8Array<ArrayBuffer>], { type: 'audio/midi' })
      : new Blob([writeMusicXml(written)], { type: 'application/vnd.recordare.musicxml+xml' });
  download(name, made);
  toast.success(
    `${name}: ${counted(voices.length, 'voice')}, ${counted(
      written.parts.reduce((n, p) => n + p.notes.length, 0),
      'note',
    )}.`,
  );
}

/** The pitch line of every voice as a table, a row every 5 ms, in a zip. */
export async function writeLines(): Promise<void> {
  const voices = voicesToWrite();
  if (!voices) return;
  await allPlanned();
  const s = useSession.getState();
  const names = stemNames(voices, 'csv');
  const files = voices.map((t, i) => [names[i], strToU8(pitchLineCsv(viewOf(s, t.id)))] as const);
  const name = `${tidyFileName(songOf(s)!.name, 'pitch lines')}.zip`;
  const bytes = zipSync(Object.fromEntries(files));
  download(name, new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'application/zip' }));
  toast.success(`${name}: ${counted(voices.length, 'voice')}.`);
}
