import { madeUpSong } from '@essim/demo';
import { analyseBacking, chordsOf, estimateKey, estimateReference } from './setup';

describe('what a backing tells', () => {
  const song = madeUpSong(5, 24);
  const backing = analyseBacking(song.samples, song.sampleRate);

  it('is its tempo and metre', () => {
    const { tempo } = backing;
    expect(Math.abs(tempo!.bpm / song.bpm - 1)).toBeLessThan(0.01);
    expect(tempo!.confidence).toBeGreaterThan(0.7);
  });

  it('is its tuning, within three cents', () => {
    expect(Math.abs(estimateReference(song.melody, backing)!.cents - song.tuningCents)).toBeLessThan(3);
    expect(estimateReference([], null)).toBeNull();
  });

  it('is the key, together with the voice', () => {
    expect(estimateKey(song.melody, backing)[0]).toMatchObject(song.key);
    expect(estimateKey([], backing)[0].confidence).toBeGreaterThan(0.3);
  });

  it('is its chords, beat by beat', () => {
    const beats = Array.from(
      { length: song.chords.length * song.beatsPerBar + 1 },
      (_, i) => song.firstBarSeconds + (i * 60) / song.bpm,
    );
    const chords = chordsOf(backing, { ...song.key, confidence: 1 }, beats, song.beatsPerBar, 0);
    expect(chords.length).toBeGreaterThan(3);
    expect(chords.every((c, i) => !i || c.start > chords[i - 1].start)).toBe(true);
    const last = chords.at(-1)!.name.replace(/(maj7|m7|m|7|dim)$/, '');
    const names = ['C', 'C♯D♭', 'D', 'D♯E♭', 'E', 'F', 'F♯G♭', 'G', 'G♯A♭', 'A', 'A♯B♭', 'B'];
    expect(names[song.key.tonic]).toContain(last);
  });

  it('is nothing for silence and noise', () => {
    const silence = analyseBacking(new Float32Array(24000 * 8), 24000);
    expect(silence.tempo).toBeNull();
    expect(estimateReference([], silence)).toBeNull();
  });
});
