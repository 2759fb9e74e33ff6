import {
  correctReading,
  followRecipe,
  keyOf,
  lineInMidi,
  noCorrections,
  noteFacts,
  planSurroundings,
  planTake,
  quantile,
  readRecipe,
  Score,
  Song,
  splitTake,
  surroundingsOf,
  Take,
  Track,
  type Reading,
  type SplitTake,
  type TakeView,
} from '@essim/core';

/** Whole takes tuned without notes, what they are as notes, and slack: on readings, as recipes make them. */

type Row = Record<string, string | number>;
interface Step {
  do: string;
  on?: object;
  with?: object;
}

/** A song of one take that was read. */
function songOf(key: Song['key']): Song {
  const take = Object.assign(new Take(), {
    id: 'take',
    name: 'take',
    sourceId: 'f'.repeat(64),
    offsetSeconds: 0,
  });
  const track = Object.assign(new Track(), {
    id: 'lead',
    name: 'Lead',
    role: 'lead',
    takes: [take],
    segments: [{ at: 0, takeId: 'take', fadeMs: 12 }],
  });
  return Object.assign(new Song(), { id: 'song', name: 'bench', sampleRate: 48000, key, tracks: [track] });
}

/** What is known of a take with what was put right in it. */
class Hearing {
  private readonly known = new Map<unknown, { view: TakeView; split: SplitTake }>();
  constructor(private readonly auto: Reading) {}

  of({ corrections }: Take): { view: TakeView; split: SplitTake } {
    let made = this.known.get(corrections);
    if (!made) {
      const { reading, assumed, misfits } = correctReading(this.auto, corrections ?? noCorrections);
      const split = splitTake(reading);
      const line = lineInMidi(reading);
      const view: TakeView = {
        status: 'ready',
        progress: 1,
        auto: this.auto,
        reading,
        assumed,
        misfits,
        notes: noteFacts(split),
        sungLine: line,
        line,
        gainDb: null,
      };
      this.known.set(corrections, (made = { view, split }));
    }
    return made;
  }

  score = (song: Song): Score => new Score(song, { take: this.of(song.tracks[0].takes[0]).view });

  async follow(song: Song, steps: Step[]): Promise<Song> {
    let count = 0;
    const all = await followRecipe(song, readRecipe({ recipe: 1, steps }), {
      scoreFor: s => Promise.resolve(this.score(s)),
      findAlignment: () => Promise.reject(new Error('nobody follows')),
      newId: () => `new-${++count}`,
    });
    return all[all.length - 1].song;
  }

  /** The line a song plans, cents a frame, and where it is voiced. */
  line(song: Song): { line: Float64Array; voiced: Float64Array } {
    const track = song.tracks[0];
    const [take] = track.takes;
    const { split } = this.of(take);
    const score = this.score(song);
    const around = surroundingsOf(song, track, take, id => score.view(id), score.scaleAt);
    return { line: planTake(split, take.edits, planSurroundings(around, split)).line, voiced: split.voiced };
  }
}

/** Tunes a take as a whole and turns it into notes: how much of it stays where it was. */
export async function scoreWholeTake(of: string, reading: Reading): Promise<Row[]> {
  const hearing = new Hearing(reading);
  const song = songOf(keyOf({ key: null }, reading.keys).key);
  const rows: Row[] = [];
  for (const settings of [
    { settleMs: 0 },
    { settleMs: 50 },
    { settleMs: 200, aim: 70 },
    { settleMs: 60, vibrato: 40 },
    { settleMs: 0, glideMs: 120 },
  ]) {
    const whole = await hearing.follow(song, [{ do: 'whole-take', with: settings }]);
    const from = performance.now();
    const before = hearing.line(whole);
    const ms = performance.now() - from;
    const notes = await hearing.follow(whole, [{ do: 'into-notes' }]);
    const after = hearing.line(notes);
    const away: number[] = [];
    before.line.forEach((c, k) => {
      if (before.voiced[k]) away.push(Math.abs(c - after.line[k]));
    });
    rows.push({
      of,
      settings: Object.entries(settings)
        .map(([k, v]) => `${k} ${v}`)
        .join(', '),
      notes: hearing.of(notes.tracks[0].takes[0]).view.notes.length,
      'within 5 c': away.filter(a => a < 5).length / away.length,
      '95 %': quantile(away, 0.95),
      'planned at (s/s)': reading.duration / (ms / 1000),
    });
  }
  return rows;
}
