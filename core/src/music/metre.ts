import type { Seconds } from '../units';

/** Where bars and beats lie: one tempo and metre, and changes of either. The document's Tempo has this shape. */
export interface TempoMap {
  bpm: number;
  beatsPerBar: number;
  /** Where bar 1 begins, s. */
  firstBarSeconds: Seconds;
  changes?: readonly { beat: number; bpm: number }[];
  metres?: readonly { bar: number; beatsPerBar: number }[];
}

export interface BarBeat {
  /** 1 for the first; 0 and below before it. */
  bar: number;
  /** 1 for the first of its bar. */
  beat: number;
  /** Part of the beat gone by, 0..1. */
  part: number;
}

/**
 * Converts between song time and beats counted from bar 1, and between beats and bars. Before bar 1 the first tempo and metre go on
 * backwards; after the last change the last goes on.
 * @example new BarGrid({ bpm: 120, beatsPerBar: 4, firstBarSeconds: 1 }).secondsAt(4) // 3
 */
export class BarGrid {
  private readonly tempos: { beat: number; seconds: Seconds; beatSeconds: Seconds }[];
  private readonly metres: { bar: number; beat: number; beatsPerBar: number }[];

  constructor(tempo: TempoMap) {
    this.tempos = [{ beat: 0, seconds: tempo.firstBarSeconds, beatSeconds: 60 / tempo.bpm }];
    for (const c of [...(tempo.changes ?? [])].sort((a, b) => a.beat - b.beat)) {
      const last = this.tempos[this.tempos.length - 1];
      const next = {
        beat: c.beat,
        seconds: last.seconds + (c.beat - last.beat) * last.beatSeconds,
        beatSeconds: 60 / c.bpm,
      };
      if (c.beat > last.beat) this.tempos.push(next);
      else this.tempos[this.tempos.length - 1] = next;
    }
    this.metres = [{ bar: 1, beat: 0, beatsPerBar: tempo.beatsPerBar }];
    for (const m of [...(tempo.metres ?? [])].sort((a, b) => a.bar - b.bar)) {
      const last = this.metres[this.metres.length - 1];
      const next = {
        bar: m.bar,
        beat: last.beat + (m.bar - last.bar) * last.beatsPerBar,
        beatsPerBar: m.beatsPerBar,
      };
      if (m.bar > last.bar) this.metres.push(next);
      else this.metres[this.metres.length - 1] = next;
    }
  }

  beatAt(seconds: Seconds): number {
    const t = this.tempos.findLast(q => q.seconds <= seconds) ?? this.tempos[0];
    return t.beat + (seconds - t.seconds) / t.beatSeconds;
  }

  secondsAt(beat: number): Seconds {
    const t = this.tempos.findLast(q => q.beat <= beat) ?? this.tempos[0];
    return t.seconds + (beat - t.beat) * t.beatSeconds;
  }

  /** Length of so many bars, of the metre at a moment, just before it. */
  countIn(seconds: Seconds, bars: number): Seconds {
    const { bar } = this.placeAt(seconds);
    const beats = bars * (this.beatOfBar(bar + 1) - this.beatOfBar(bar));
    return seconds - this.secondsAt(this.beatAt(seconds) - beats);
  }

  /** Tempo in force at a moment. */
  bpmAt(seconds: Seconds): number {
    return 60 / (this.tempos.findLast(q => q.seconds <= seconds) ?? this.tempos[0]).beatSeconds;
  }

  /** Bar, beat and part of the beat of a beat count. */
  place(beat: number): BarBeat {
    const m = this.metres.findLast(q => q.beat <= beat) ?? this.metres[0];
    const bars = Math.floor((beat - m.beat) / m.beatsPerBar);
    const inBar = beat - m.beat - bars * m.beatsPerBar;
    return { bar: m.bar + bars, beat: Math.floor(inBar) + 1, part: inBar - Math.floor(inBar) };
  }

  placeAt(seconds: Seconds): BarBeat {
    return this.place(this.beatAt(seconds) + 1e-9);
  }

  /** First beat of a bar. */
  beatOfBar(bar: number): number {
    const m = this.metres.findLast(q => q.bar <= bar) ?? this.metres[0];
    return m.beat + (bar - m.bar) * m.beatsPerBar;
  }

  secondsOfBar(bar: number): Seconds {
    return this.secondsAt(this.beatOfBar(bar));
  }

  /** Every beat in a span, with whether it begins a bar. */
  beats(from: Seconds, to: Seconds): { seconds: Seconds; bar: number; beat: number }[] {
    const out = [];
    for (let b = Math.ceil(this.beatAt(from) - 1e-9); b <= this.beatAt(to); b++) {
      const { bar, beat } = this.place(b);
      out.push({ seconds: this.secondsAt(b), bar, beat });
    }
    return out;
  }
}
