import { neutralPlan, voiceFromSnapshot, VoiceStream, type VoiceSnapshot } from '@essim/core';

/** A stretch of a take to be sung live, and what its plan adds to the pitch there. */
export interface LiveNote {
  snapshot: VoiceSnapshot;
  /** Source samples. */
  from: number;
  to: number;
  /** Cents per frame from firstFrame on. */
  offsetCents: Float32Array;
  firstFrame: number;
  /** Sung to its end once, instead of round and round. */
  once?: boolean;
}

/** A stretch of a part's words as it sings them while keys are held. */
export interface HeldStretch {
  /** Its plan brings every syllable to this pitch, MIDI. */
  note: LiveNote;
  midi: number;
  /** Song sample at which the take's first sample is heard. */
  offset: number;
  formantCents: number;
}

/** Over which the voice comes and goes, and one key goes over into the next, s. */
const ATTACK_SECONDS = 0.006;
const RELEASE_SECONDS = 0.04;
/** So long after a key is let go the rendering takes the part's place again: it must have followed by then, s. */
const REST_SECONDS = 0.2;

/** Samples the audio thread makes at a time. */
const BLOCK = 128;

/** One pitch as it is sung, and how far it has come. */
interface Sung {
  stream: VoiceStream;
  gain: number;
  wanted: number;
}

/**
 * A part that sings what is held on a key, on its lead's words, in place of its rendering: what it makes of a key is in the very block
 * that follows it. Two streams take turns, so that a new key begins at once while the one before dies away.
 */
export class HeldVoice {
  private readonly sung: Sung[] = [];
  private now = 0;
  /** Samples until the rendering takes its place again; Infinity while a key is held. */
  private rest = 0;
  private readonly blocks: Float32Array[];
  /** The first samples of them: a block of the audio thread. */
  private readonly usual: Float32Array[];
  private held: number | null = null;
  /** What was made last: the voice, and how much of the rendering's place it takes, 0..1. */
  readonly left = new Float32Array(4096);
  readonly right = new Float32Array(4096);
  readonly share = new Float32Array(4096);
  private taken = 0;

  constructor(
    private readonly sampleRate: number,
    readonly stretch: HeldStretch,
  ) {
    const { note } = stretch;
    const source = voiceFromSnapshot(note.snapshot);
    const plan = neutralPlan(note.snapshot.frames, note.snapshot.hop);
    plan.offsetCents.set(note.offsetCents, note.firstFrame);
    const rest = { offsetCents: 0, formantCents: stretch.formantCents, levelDb: 0 };
    for (let i = 0; i < 2; i++)
      this.sung.push({ stream: new VoiceStream(source, plan, rest, note.from), gain: 0, wanted: 0 });
    this.blocks = note.snapshot.source.map(() => new Float32Array(4096));
    this.usual = this.blocks.map(b => b.subarray(0, BLOCK));
  }

  /** Sings a pitch from a song sample on; null: no more. */
  hold(midi: number | null, position: number): void {
    this.held = midi;
    this.sung[this.now].wanted = 0;
    if (midi === null) {
      if (this.rest === Infinity) this.rest = Math.round(REST_SECONDS * this.sampleRate);
      return;
    }
    this.now = 1 - this.now;
    const next = this.sung[this.now];
    next.stream.ask({ offsetCents: 100 * (midi - this.stretch.midi) });
    next.stream.restart(position - this.stretch.offset);
    next.gain = 0;
    next.wanted = 1;
    this.rest = Infinity;
  }

  /** What is held now, MIDI. */
  get midi(): number | null {
    return this.held;
  }

  /** Whether it takes the rendering's place, or is about to give it back. */
  get sounds(): boolean {
    return this.rest > 0 || this.taken > 0 || this.sung.some(s => s.gain > 0);
  }

  /** Makes so many samples from a song sample on. */
  make(position: number, count: number): void {
    const { left, right, share, stretch, sampleRate } = this;
    left.fill(0, 0, count);
    right.fill(0, 0, count);
    for (const s of this.sung) {
      if (s.gain <= 0 && s.wanted <= 0) continue;
      const at = position - stretch.offset;
      // after a jump of the song it goes on from there
      if (s.stream.position !== at) s.stream.restart(at);
      const out = count === BLOCK ? this.usual : this.blocks.map(b => b.subarray(0, count));
      s.stream.process(out);
      const [l, r] = [out[0], out[out.length - 1]];
      const up = 1 / (ATTACK_SECONDS * sampleRate);
      const down = 1 / (RELEASE_SECONDS * sampleRate);
      for (let i = 0; i < count; i++) {
        s.gain = s.wanted > s.gain ? Math.min(1, s.gain + up) : Math.max(0, s.gain - (s.wanted < s.gain ? down : 0));
        left[i] += s.gain * l[i];
        right[i] += s.gain * r[i];
      }
    }
    const step = 1 / (ATTACK_SECONDS * sampleRate);
    for (let i = 0; i < count; i++) {
      const wanted = this.rest > 0 ? 1 : 0;
      if (this.rest !== Infinity && this.rest > 0) this.rest--;
      this.taken += Math.max(-step, Math.min(step, wanted - this.taken));
      share[i] = this.taken;
    }
  }
}
