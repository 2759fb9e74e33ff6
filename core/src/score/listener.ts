import { Aligner, alignFeatures, featuresAlike, type AlignFeatures } from '../align';
import { mixDown, readTake, type Range, type Reading } from '../read';
import { framePeaks } from '../measure';
import { planTake, type SplitTake, type TakePlan } from '../plan';
import { compSound } from './comp-sound';
import { clickGains, withoutClicks, type ClickGain } from './clicks';
import { takeSound, type TakeSound } from './take-sound';
import { heardTake } from './heard-take';
import { analyseBackings, type BackingEstimate } from '../setup';
import {
  alignmentStamp,
  chosenChannels,
  clipsOf,
  composeClips,
  FoundAlignment,
  heardTakeIds,
  isVocal,
  leadOf,
  type Clip,
  type Edits,
  type Song,
  type Take,
  type TieMark,
  type Track,
} from '../song';
import { analyseVoice, renderAll } from '../voice';
import { countingEdits, sourceOfPart } from './counting';
import { placedClips, stackLeadOf } from './place';
import { Score } from './score';
import { planSurroundings, surroundingsOf, type TakeSurroundings } from './surroundings';
import { trackView, type TakeView } from './track-view';

/** Where a listener gets recordings and readings from. */
export interface Recordings {
  /** Channels of a recording at the song's rate. @throws Error when it cannot be had */
  channels(sourceId: string): Promise<Float32Array[]>;
  /** A reading that was kept, where there is one. */
  reading?(take: ReadFrom): Promise<Reading | undefined> | Reading | undefined;
  keepReading?(take: ReadFrom, reading: Reading): void;
  /** Told how far a reading is. */
  onReading?(take: Take, share: number): void;
}
/** What of a take its reading depends on. */
export type ReadFrom = Pick<Take, 'sourceId' | 'range' | 'channels'>;

/** A track as it is heard: its takes as edited, and where they lie. */
export interface RenderedTrack {
  clips: Clip[];
  sources: Map<string, readonly Float32Array[]>;
  /** Where its last sample lies, song samples. */
  length: number;
}

interface Planned {
  split: SplitTake;
  edits: Edits;
  around: TakeSurroundings | null;
  plan: TakePlan;
  line: Float32Array;
}

interface Heard {
  channels: Float32Array[];
  peakDb?: Float32Array;
  /** With clicks taken out. */
  cleaned?: { of: string; channels: Float32Array[]; clicks: ClickGain[] };
  auto: Reading;
  view: TakeView;
  split: SplitTake;
  corrections: Take['corrections'];
}

/**
 * Hears a song without a desk: reads what must be read, plans and renders as the desks do, in one thread. For the command line, for
 * recipes and for tests; what it makes of a song is, sample by sample, what the browser makes of it.
 */
export class Listener {
  /** By take; of what a take is made of everything is kept until it is another. */
  private readonly heard = new Map<string, Heard & { from: string }>();
  private readonly sounds = new Map<string, Promise<Float32Array[]>>();
  private readonly features = new Map<string, AlignFeatures>();
  private readonly plans = new Map<string, Planned>();
  private backing: { of: string; estimate: BackingEstimate | null } | null = null;

  constructor(private readonly from: Recordings) {}

  /** A take's sound: the channels it uses. */
  sound({ sourceId, channels }: Pick<Take, 'sourceId' | 'channels'>): Promise<Float32Array[]> {
    const key = `${sourceId} ${channels}`;
    let sound = this.sounds.get(key);
    if (!sound) {
      sound = this.from.channels(sourceId).then(all => chosenChannels(all, channels));
      this.sounds.set(key, sound);
    }
    return sound;
  }

  /** A take as it is read, with its corrections. @throws UnreadableTake */
  private async hear(take: Take, sampleRate: number): Promise<Heard> {
    const from = `${take.sourceId} ${take.channels} ${take.range}`;
    const known = this.heard.get(take.id);
    if (known?.from === from && known.corrections === take.corrections) return known;
    const channels = await this.sound(take);
    const auto = known?.from === from ? known.auto : await this.read(take, channels, sampleRate);
    const { view, split } = heardTake(auto, take, known?.from === from ? known.split : undefined);
    // asked for by some commands only, so made when they look
    let sound: TakeSound | undefined;
    view.sound = () => (sound ??= takeSound(channels, view.reading!));
    const made = { from, channels, auto, view, split, corrections: take.corrections };
    this.heard.set(take.id, made);
    return made;
  }

  private async read(take: Take, channels: Float32Array[], sampleRate: number): Promise<Reading> {
    // takes of one recording are read once, parts among them
    const same = [...this.heard.values()].find(h => h.from === `${take.sourceId} ${take.channels} ${take.range}`);
    const kept = same?.auto ?? (await this.from.reading?.(take));
    if (kept) return kept;
    const reading = readTake(mixDown(channels), sampleRate, {
      range: take.range as Range,
      onProgress: share => this.from.onReading?.(take, share),
    });
    this.from.keepReading?.(take, reading);
    return reading;
  }

  /** What the backing of a song tells; null where there is none. */
  async backingOf(song: Song): Promise<BackingEstimate | null> {
    const takes = song.tracks
      .filter(t => !isVocal(t) && !t.mute)
      .flatMap(t => t.takes.filter(k => heardTakeIds(t).has(k.id)));
    const of = takes.map(t => `${t.sourceId} ${t.channels} ${t.offsetSeconds}`).join();
    if (this.backing?.of !== of) {
      const sounds = await Promise.all(
        takes.map(async t => ({
          channels: await this.sound(t),
          offset: Math.round(t.offsetSeconds * song.sampleRate),
        })),
      );
      this.backing = { of, estimate: sounds.length ? analyseBackings(sounds, song.sampleRate) : null };
    }
    return this.backing.estimate;
  }

  /**
   * The score of a song with some tracks read, and whatever these need: their leads, what they are parts of, the song's lead for its key.
   * Lines are as sung unless they are asked for as edited.
   */
  async score(song: Song, tracks: readonly Track[], edited = false): Promise<Score> {
    if (edited) return (await this.planned(song, tracks)).score;
    const takes: Record<string, TakeView> = {};
    for (const track of this.needed(song, tracks))
      for (const take of track.takes.filter(t => heardTakeIds(track).has(t.id)))
        takes[take.id] = (await this.hear(take, song.sampleRate)).view;
    return new Score(song, takes, song.key ? null : await this.backingOf(song));
  }

  private needed(song: Song, tracks: readonly Track[]): Track[] {
    const out = new Set<Track>();
    const add = (track: Track | undefined) => {
      if (!track || out.has(track) || !isVocal(track)) return;
      out.add(track);
      add(stackLeadOf(song, track));
      add(sourceOfPart(song, track));
    };
    tracks.forEach(add);
    if (!song.key) add(leadOf(song));
    return [...out];
  }

  /**
   * The same with lines as they are planned: leads first, for followers lean to what is heard of them.
   * @returns the score, and the plan of each take
   */
  async planned(song: Song, tracks: readonly Track[]): Promise<{ score: Score; plans: Map<string, TakePlan> }> {
    const all = this.needed(song, tracks);
    const base = await this.score(song, tracks);
    const ranked = song.key ? [] : base.rankedKeys;
    const takes: Record<string, TakeView> = { ...base.takes } as Record<string, TakeView>;
    const plans = new Map<string, TakePlan>();
    const depth = (t: Track): number => {
      const lead = stackLeadOf(song, t);
      return lead ? 1 + depth(lead) : 0;
    };
    for (const track of [...all].sort((a, b) => depth(a) - depth(b))) {
      const score = new Score(song, takes, base.backing, {}, ranked);
      for (const take of track.takes) {
        const heard = this.heard.get(take.id);
        if (!heard || !takes[take.id]) continue;
        const around = surroundingsOf(song, track, take, id => score.view(id), score.scaleAt, takes[take.id]);
        const { plan, line } = this.plan(take.id, heard, countingEdits(score, track, take), around);
        plans.set(take.id, plan);
        takes[take.id] = { ...takes[take.id], line, gainDb: plan.voice.levelDb ?? null };
      }
    }
    return { score: new Score(song, takes, base.backing, {}, ranked), plans };
  }

  /** A take's plan and its line in MIDI; the same as the last time while nothing about it changed. */
  private plan(takeId: string, heard: Heard, edits: Edits, around: TakeSurroundings | null): Planned {
    const { split } = heard;
    const known = this.plans.get(takeId);
    if (known?.split === split && known.edits === edits && known.around === around) return known;
    const patched = this.clean(heard, around);
    const { hop, sampleRate } = split.reading;
    const peaks = () => (heard.peakDb ??= framePeaks(heard.channels, sampleRate, hop, split.sung.length));
    const plan = planTake(split, edits, { ...planSurroundings(around, split), peaks, patched });
    const line = Float32Array.from(plan.line, (c, k) => (split.voiced[k] ? c / 100 : NaN));
    const made = { split, edits, around, plan, line };
    this.plans.set(takeId, made);
    return made;
  }

  /** Takes clicks out of a take's channels as it is asked. */
  private clean(heard: Heard, around: TakeSurroundings | null): ClickGain[] {
    const asked = around?.clicks;
    const clicks = asked ? clickGains(heard.view.sound!().clicks, asked.track, asked.take) : [];
    const of = JSON.stringify(clicks);
    if (heard.cleaned?.of === of) return heard.cleaned.clicks;
    const channels = withoutClicks(heard.channels, heard.split.reading.sampleRate, clicks);
    heard.cleaned = { of, channels, clicks };
    return clicks;
  }

  /** A track as it is heard, whole takes of it. */
  async rendered(song: Song, track: Track): Promise<RenderedTrack> {
    const clips = placedClips(song, track).map(({ place: _, ...c }): Clip => c);
    const ids = new Set(clips.map(c => c.takeId));
    const sources = new Map<string, readonly Float32Array[]>();
    const { plans } = isVocal(track) ? await this.planned(song, [track]) : { plans: new Map<string, TakePlan>() };
    for (const take of track.takes.filter(t => ids.has(t.id))) {
      const sung = await this.sound(take);
      const plan = plans.get(take.id);
      sources.set(take.id, plan ? this.render(take, sung, plan, song.sampleRate) : sung);
    }
    const ends = clips.map(c =>
      Math.min(c.to * song.sampleRate, Math.round(c.shift * song.sampleRate) + sources.get(c.takeId)![0].length),
    );
    return { clips, sources, length: Math.max(1, ...ends.map(Math.ceil)) };
  }

  private render(take: Take, sung: Float32Array[], { voice }: TakePlan, sampleRate: number): Float32Array[] {
    const { view, cleaned } = this.heard.get(take.id)!;
    const { f0, hop } = view.reading!;
    return renderAll(analyseVoice(cleaned?.channels ?? sung, sampleRate, f0, hop), voice);
  }

  /** Last sample of any recording: what everything that is delivered is as long as. */
  async lengthOf(song: Song): Promise<number> {
    let last = 1;
    for (const track of song.tracks)
      for (const c of placedClips(song, track)) {
        const take = track.takes.find(t => t.id === c.takeId)!;
        const [x] = await this.sound(take);
        // a word may be held on past the end of its recording
        const end = Math.max(c.shift + x.length / song.sampleRate, c.place.toSong(x.length / song.sampleRate));
        last = Math.max(last, Math.min(c.to * song.sampleRate, Math.round(end * song.sampleRate)));
      }
    return Math.ceil(last);
  }

  /** What a track sounds like as edited, from the song's zero and as long as the song. */
  async bounced(song: Song, track: Track): Promise<Float32Array[]> {
    const { clips, sources } = await this.rendered(song, track);
    return composeClips(clips, sources, song.sampleRate, await this.lengthOf(song));
  }

  /** Finds where a follower belongs in its lead, both as they were sung. @throws NothingToAlign */
  async findAlignment(song: Song, follower: Track, ties: readonly TieMark[]): Promise<FoundAlignment> {
    const lead = stackLeadOf(song, follower);
    if (!lead) throw new Error(`${follower.name} follows nobody`);
    const [own, led] = await Promise.all([follower, lead].map(t => this.sungTrack(song, t)));
    const seconds = Math.max(own.length, led.length) / song.sampleRate;
    const theirs = this.featuresOf(led, song.sampleRate, seconds);
    const alike = featuresAlike(stretch => this.featuresOf(own, song.sampleRate, seconds, stretch), theirs);
    const found = new Aligner(alike, theirs).align({ ties: ties.map(t => ({ follower: t.follower, lead: t.lead })) });
    return Object.assign(new FoundAlignment(), {
      stamp: alignmentStamp(lead, follower, ties),
      points: found.map.flatMap(p => [p.from, p.to]),
      apart: found.apart,
      rests: found.rests,
      confidence: found.confidence,
    });
  }

  private featuresOf(sung: SungTrack, sampleRate: number, seconds: number, stretch = 1): AlignFeatures {
    const name = `${sung.name} ${seconds} ${stretch}`;
    let features = this.features.get(name);
    if (!features) {
      const sound = compSound(sung.clips, sung.sources, sampleRate, sung.length);
      this.features.set(name, (features = alignFeatures(sound, sampleRate, seconds, sung.f0, stretch)));
    }
    return features;
  }

  /** A track as it was sung, whatever it follows. */
  private async sungTrack(song: Song, track: Track): Promise<SungTrack> {
    const clips = clipsOf(track);
    const sources = new Map<string, readonly Float32Array[]>();
    const takes: Record<string, TakeView> = {};
    for (const take of track.takes.filter(t => clips.some(c => c.takeId === t.id))) {
      sources.set(take.id, await this.sound(take));
      takes[take.id] = (await this.hear(take, song.sampleRate)).view;
    }
    const { reading } = trackView(song, { ...track, followsId: null }, takes);
    const ends = clips.map(c =>
      Math.min(c.to * song.sampleRate, Math.round(c.shift * song.sampleRate) + sources.get(c.takeId)![0].length),
    );
    const name = clips
      .map(c => `${track.takes.find(k => k.id === c.takeId)?.sourceId} ${c.from} ${c.to} ${c.shift}`)
      .join();
    return { name, clips, sources, f0: reading!.f0, length: Math.max(1, ...ends.map(Math.ceil)) };
  }
}

interface SungTrack {
  name: string;
  clips: Clip[];
  sources: Map<string, readonly Float32Array[]>;
  f0: Float32Array;
  length: number;
}
