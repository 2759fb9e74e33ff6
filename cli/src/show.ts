import { isVocal, shownSong } from '@essim/core';
import { UserError, writeOutput, requireOutputs } from './files';
import { hearing, openSongFile } from './song-file';

export interface ShowOptions {
  json: string;
  hints?: boolean;
  track?: string;
}

/** What the desks show of a song, as numbers. */
export async function showCommand(path: string, options: ShowOptions): Promise<void> {
  const opened = await openSongFile(path);
  try {
    const { song, listener } = opened;
    const tracks = song.tracks.filter(t => options.track === undefined || t.name === options.track);
    if (!tracks.length) throw new UserError(`--track: ${path} has no track "${options.track}"`);
    requireOutputs(options.json);
    // hints of one track look at all that sound with it
    const needed = (options.hints ? song.tracks : tracks).filter(isVocal);
    const { score } = await hearing(path, () => listener.planned(song, needed));
    writeOutput(options.json, JSON.stringify(shownSong(score, tracks, { hints: !!options.hints })));
  } finally {
    opened.close();
  }
}
