import { noteName, nearestStep } from '../music';
import type { Score } from '../score';
import {
  isVocal,
  scopeIn,
  Step,
  withParts,
  type FoundAlignment,
  type NoteEdit,
  type ScopePart,
  type Song,
  type TieMark,
  type Track,
} from '../song';
import type { Span } from '../units';
import { ArgumentError, checkedArguments, type Values } from './arguments';
import { intentNamed } from './catalogue';
import { asDataUrl } from './data-url';
import { Refused, type Acted, type Intent, type Stage, type Target } from './intent';

/**
 * Recipes: lists of commands by name, the same that the desks use, so that a recipe gives the samples that the same clicks give.
 * { "recipe": 1, "steps": [{ "do": "settle", "on": { "tracks": "lead" }, "with": { "to": "key" } }] }
 */
export const RECIPE_VERSION = 1;
const MOST_STEPS = 10000;

/** A recipe that cannot be used, or a step of it that could not be done; the message names the step. */
export class RecipeError extends Error {
  override name = 'RecipeError';
}

/** Which notes a step means; all that is said must hold. */
interface NoteFilter {
  index?: readonly number[];
  between?: readonly [number, number];
  name?: string;
  longer?: number;
  shorter?: number;
  outside?: boolean;
  vibrato?: boolean;
}

interface RecipeTarget {
  tracks: readonly string[] | null;
  notes: NoteFilter | null;
  span: Span | null;
}

export interface RecipeStep {
  intent: Intent;
  on: RecipeTarget;
  args: Values;
}
export type Recipe = readonly RecipeStep[];

type Plain = Record<string, unknown>;
const isPlain = (v: unknown): v is Plain => typeof v === 'object' && v !== null && !Array.isArray(v);
const isTime = (v: unknown): v is number => typeof v === 'number' && Number.isFinite(v) && v >= 0 && v <= 86400;
const isPair = (v: unknown): v is [number, number] =>
  Array.isArray(v) && v.length === 2 && v.every(isTime) && v[1] >= v[0];

/** Puts files in the place of their names. @throws what fileNamed throws, with the argument's name */
function withFiles(intent: Intent, given: unknown, fileNamed?: (name: string) => Uint8Array): unknown {
  if (!fileNamed || !isPlain(given)) return given;
  const out = { ...given };
  for (const { name, kind } of intent.args) {
    const value = out[name];
    if (typeof value !== 'string' || value.startsWith('data:')) continue;
    if (kind !== 'file' && !(kind === 'file-or-name' && /\.midi?$/i.test(value))) continue;
    try {
      out[name] = asDataUrl(fileNamed(value));
    } catch (error) {
      throw new ArgumentError(`${name}: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  return out;
}

/**
 * Reads a recipe.
 * @param value parsed JSON @param fileNamed opens a file a step names
 * @throws RecipeError naming the step: "step 3, shape: wander 140 is over 100 %"
 */
export function readRecipe(value: unknown, fileNamed?: (name: string) => Uint8Array): Recipe {
  if (!isPlain(value) || !Array.isArray(value.steps))
    throw new RecipeError('it is not a recipe: {"recipe": 1, "steps": [...]}');
  if (value.recipe !== RECIPE_VERSION)
    throw new RecipeError(
      typeof value.recipe === 'number' && value.recipe > RECIPE_VERSION
        ? `it was written for a newer Essim (recipe ${value.recipe}; this one reads ${RECIPE_VERSION})`
        : `"recipe" must be ${RECIPE_VERSION}`,
    );
  if (value.steps.length > MOST_STEPS) throw new RecipeError(`it has more than ${MOST_STEPS} steps`);
  return value.steps.map((step: unknown, i) => {
    const where = `step ${i + 1}`;
    if (!isPlain(step) || typeof step.do !== 'string') throw new RecipeError(`${where}: "do" must name a command`);
    const extra = Object.keys(step).find(k => !['do', 'on', 'with'].includes(k));
    if (extra) throw new RecipeError(`${where}: it has "${extra}"; a step has do, on and with`);
    const intent = intentNamed(step.do);
    if (!intent) throw new RecipeError(`${where}: there is no command "${step.do.slice(0, 60)}"`);
    try {
      return {
        intent,
        on: readTarget(step.on),
        args: checkedArguments(intent.args, withFiles(intent, step.with, fileNamed)),
      };
    } catch (error) {
      if (error instanceof ArgumentError) throw new RecipeError(`${where}, ${intent.name}: ${error.message}`);
      throw error;
    }
  });
}

function readTarget(on: unknown): RecipeTarget {
  if (on === undefined) return { tracks: null, notes: null, span: null };
  if (!isPlain(on)) throw new ArgumentError('"on" must be an object');
  const extra = Object.keys(on).find(k => !['tracks', 'notes', 'span'].includes(k));
  if (extra) throw new ArgumentError(`on: it has "${extra}"; it takes tracks, notes and span`);
  if (on.span !== undefined && !isPair(on.span)) throw new ArgumentError('on.span must be [from, to] in seconds');
  return {
    tracks: on.tracks === undefined ? null : readTracks(on.tracks),
    notes: on.notes === undefined || on.notes === 'all' ? null : readFilter(on.notes),
    span:
      on.span === undefined ? null : { start: (on.span as [number, number])[0], end: (on.span as [number, number])[1] },
  };
}

function readTracks(tracks: unknown): string[] {
  const list = typeof tracks === 'string' ? [tracks] : tracks;
  if (!Array.isArray(list) || !list.length || !list.every(t => typeof t === 'string'))
    throw new ArgumentError('on.tracks must be a name, a role, "voices" or a list of them');
  return list as string[];
}

const FILTERS: Record<keyof NoteFilter, (v: unknown) => boolean> = {
  index: v => Array.isArray(v) && v.every(i => Number.isInteger(i) && i >= 0),
  between: isPair,
  name: v => typeof v === 'string' && !!v,
  longer: v => typeof v === 'number' && v >= 0,
  shorter: v => typeof v === 'number' && v >= 0,
  outside: v => typeof v === 'boolean',
  vibrato: v => typeof v === 'boolean',
};

function readFilter(notes: unknown): NoteFilter {
  if (!isPlain(notes)) throw new ArgumentError('on.notes must be "all" or an object');
  for (const [name, value] of Object.entries(notes)) {
    if (!Object.hasOwn(FILTERS, name))
      throw new ArgumentError(`on.notes: it has "${name}"; it takes ${Object.keys(FILTERS).join(', ')}`);
    if (!FILTERS[name as keyof NoteFilter](value))
      throw new ArgumentError(`on.notes.${name}: ${JSON.stringify(value)?.slice(0, 60)} cannot be used`);
  }
  return notes as NoteFilter;
}

// ---- what a step acts on

/** The tracks a step names. @throws Refused for a name nobody has */
function tracksFor(song: Song, { tracks }: RecipeTarget): Track[] {
  if (!tracks) return song.tracks.filter(isVocal);
  const out = new Set<Track>();
  for (const name of tracks) {
    const found = tracksNamed(song, name);
    if (!found.length) throw new Refused(`there is no track "${name}"`);
    found.forEach(t => out.add(t));
  }
  return song.tracks.filter(t => out.has(t));
}

function tracksNamed({ tracks }: Song, name: string): Track[] {
  if (name === 'voices') return tracks.filter(isVocal);
  const byName = tracks.filter(t => t.name === name);
  return byName.length ? byName : tracks.filter(t => t.role === name);
}

/** "F#4" as it is written anywhere. */
const plainName = (name: string) => name.replace(/♯/g, '#').replace(/♭/g, 'b').toLowerCase();
const SHARP_OF: Record<string, string> = { db: 'c#', eb: 'd#', gb: 'f#', ab: 'g#', bb: 'a#' };
const bySharps = (name: string) => plainName(name).replace(/^[a-g]b/, flat => SHARP_OF[flat] ?? flat);

/** Notes of a track a filter means. */
function partsFor(score: Score, track: Track, { on: { notes: filter, span }, intent }: RecipeStep): ScopePart[] {
  const view = score.view(track.id);
  // what was deleted is no note, but can be brought back
  const gone = (key: string) => (view.edits[key] as NoteEdit | undefined)?.silent === 'deleted';
  const back = intent.name === 'as-sung' && !filter?.index;
  const there = <T extends { key: string }>(list: readonly T[]): readonly T[] =>
    back ? list : list.filter(n => !gone(n.key));
  // what is spoken has neither name nor pitch to be filtered by
  if (!filter) return scopeIn(there(view.syllables), span);
  const notes = there(view.notes);
  const is = (n: (typeof notes)[number], i: number): boolean => {
    const ms = (n.end - n.start) * 1000;
    const outside = () => {
      const scale = score.scaleAt(n.start);
      const semitone = Math.round(n.sung) * 100;
      return Math.abs(nearestStep(scale, semitone) - semitone) > 50;
    };
    return (
      (!filter.index || filter.index.includes(i)) &&
      (!filter.between || (n.end > filter.between[0] && n.start < filter.between[1])) &&
      (!filter.name || bySharps(noteName(n.sung)) === bySharps(filter.name)) &&
      (filter.longer === undefined || ms > filter.longer) &&
      (filter.shorter === undefined || ms < filter.shorter) &&
      (filter.outside === undefined || outside() === filter.outside) &&
      (filter.vibrato === undefined || !!score.takes[n.takeId]?.notes[n.index]?.vibrato === filter.vibrato)
    );
  };
  return scopeIn(notes.filter(is), span);
}

/** What a step acts on in a song. @throws Refused when a track it names is not there */
export function targetFor(score: Score, step: RecipeStep): Target {
  const { on, intent } = step;
  const named = intent.on === 'song' ? [] : tracksFor(score.song, on);
  const tracks = named.map(track => ({
    track,
    parts: intent.on === 'notes' ? partsFor(score, track, step) : [],
  }));
  return { tracks, span: on.span, broad: !on.notes?.index };
}

/** Tracks whose notes or sound a step needs. */
function tracksToRead(song: Song, { intent, on, args }: RecipeStep): Track[] {
  if (intent.hears) return song.tracks.filter(isVocal);
  const also = intent.also?.(args);
  const own = intent.on === 'notes' || intent.listens || intent.reads ? tracksFor(song, on) : [];
  return also === undefined ? own : [...own, ...tracksNamed(song, also).filter(isVocal)];
}

/** What following a recipe needs from whoever runs it. */
export interface Kitchen {
  /** The score of a song as it stands, with these tracks read; with their lines as edited where that is asked, else as sung. */
  scoreFor(song: Song, tracks: readonly Track[], edited: boolean): Promise<Score>;
  findAlignment(song: Song, follower: Track, ties: readonly TieMark[]): Promise<FoundAlignment>;
  newId(): string;
  /** Keeps the sound of a track as edited as a recording of its own. @returns its name */
  bounce?(song: Song, track: Track): Promise<string>;
}

/** The stage of one step. @throws Refused when a track it names is not there */
async function stageFor(song: Song, step: RecipeStep, kitchen: Kitchen): Promise<Stage> {
  const score = await kitchen.scoreFor(song, tracksToRead(song, step), !!step.intent.hears);
  return {
    score,
    target: targetFor(score, step),
    newId: () => kitchen.newId(),
    ...(kitchen.bounce ? { bounce: (track: Track) => kitchen.bounce!(song, track) } : {}),
    findAlignment: (follower, ties) => kitchen.findAlignment(song, follower, ties),
  };
}

/**
 * Follows a recipe step by step.
 * @returns the songs the steps led to, with their labels; the last is the result
 * @throws RecipeError naming the step that could not be done
 */
export async function followRecipe(song: Song, recipe: Recipe, kitchen: Kitchen): Promise<Acted[]> {
  const out: Acted[] = [];
  for (const [i, step] of recipe.entries()) {
    try {
      const { label, song: asked } = await step.intent.act(await stageFor(song, step, kitchen), step.args);
      const made = withParts(asked);
      Step.between(song, made)?.check(made);
      song = made;
      out.push({ label, song });
    } catch (error) {
      throw new RecipeError(
        `step ${i + 1}, ${step.intent.name}: ${error instanceof Error ? error.message : String(error)}`,
      );
    }
  }
  return out;
}
