import { plainToInstance } from 'class-transformer';
import { getMetadataStorage, validateSync, type ValidationError } from 'class-validator';
import { circles, DOCUMENT_VERSION, NoteEdit, Song, type Track } from './document';
import { migrated } from './migrations';
import { withParts, partCircles } from './parts';

/** A document, or a change of one, that cannot be used; the message names the field. */
export class DocumentError extends Error {
  override name = 'DocumentError';
}

/** First failing field of a tree of validation errors, with its path. */
function firstProblem(errors: ValidationError[], path = ''): string | null {
  for (const e of errors) {
    const here = path ? `${path}.${e.property}` : e.property;
    if (e.constraints) return `${here}: ${Object.values(e.constraints)[0]}`;
    const inner = firstProblem(e.children ?? [], here);
    if (inner) return inner;
  }
  return null;
}

/** Checks one value against a document class. @throws DocumentError naming the field */
export function validated<T extends object>(type: new () => T, value: unknown): T {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new DocumentError(`expected ${type.name.toLowerCase()}, found ${JSON.stringify(value)?.slice(0, 80)}`);
  const instance = plainToInstance(type, value);
  const problem = firstProblem(validateSync(instance, { whitelist: true, forbidUnknownValues: true }));
  if (problem) throw new DocumentError(problem);
  return instance;
}

/** What a field must fulfil. */
interface FieldRule {
  required: boolean;
  /** Null for records and lists. */
  checks: ((value: unknown, object: object) => boolean)[] | null;
}

/** A class's rules, as they are written at its fields. */
function rulesOf(type: new () => object): ReadonlyMap<string, FieldRule> {
  const storage = getMetadataStorage();
  const rules = new Map<string, FieldRule>();
  for (const m of storage.getTargetValidationMetadatas(type, '', true, false)) {
    const rule = rules.get(m.propertyName) ?? { required: true, checks: [] };
    rules.set(m.propertyName, rule);
    if (m.type === 'conditionalValidation') rule.required = false;
    else if (m.type !== 'customValidation' || m.each) rule.checks = null;
    else
      for (const { instance } of storage.getTargetValidatorConstraints(m.constraintCls))
        rule.checks?.push((value, object) => {
          const { constraints, propertyName: property } = m;
          return instance.validate(value, { value, constraints, object, property, targetName: type.name }) === true;
        });
  }
  return rules;
}

const editRules = rulesOf(NoteEdit);
const neededOfEdits = [...editRules].filter(([, r]) => r.required).map(([name]) => name);

/**
 * An edit of plain values alone that fulfils every rule, in a hundredth of the time: whoever opens a song of thousands of them waits for
 * it. Null for any other, whatever it is.
 */
function plainEdit(value: unknown): NoteEdit | null {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return null;
  const given = Object.entries(value);
  const edit = new NoteEdit();
  const fields = edit as unknown as Record<string, unknown>;
  for (const [name, v] of given) {
    if (!editRules.get(name)?.checks || v === null || v === undefined) return null;
    fields[name] = v;
  }
  if (!neededOfEdits.every(name => Object.hasOwn(fields, name))) return null;
  for (const [name, v] of given) if (!editRules.get(name)!.checks!.every(fulfilled => fulfilled(v, edit))) return null;
  return edit;
}

/** Most edits of one take. */
const MOST_EDITS = 50000;
const EDIT_ID = /^[\w-]{1,64}$/;

/** Checks the edits of a take, which a class cannot describe. @throws DocumentError naming the edit */
export function validatedEdits(edits: Readonly<Record<string, unknown>>): Record<string, NoteEdit> {
  const ids = Object.keys(edits);
  if (ids.length > MOST_EDITS) throw new DocumentError(`edits: more than ${MOST_EDITS}`);
  const out: Record<string, NoteEdit> = {};
  for (const id of ids) {
    if (!EDIT_ID.test(id)) throw new DocumentError(`edits: "${id.slice(0, 70)}" is not an id`);
    try {
      out[id] = plainEdit(edits[id]) ?? validated(NoteEdit, edits[id]);
    } catch (error) {
      throw new DocumentError(`edits.${id}.${(error as Error).message}`);
    }
  }
  return out;
}

/** Checks a document that comes from outside. @throws DocumentError naming the field, or for a version newer than this program */
export function validatedSong(value: unknown): Song {
  const version = (value as { version?: unknown })?.version;
  if (typeof version === 'number' && version > DOCUMENT_VERSION)
    throw new DocumentError(
      `this song was saved by a newer Essim (format ${version}; this one reads up to ${DOCUMENT_VERSION})`,
    );
  const song = validated(Song, migrated(value, DOCUMENT_VERSION));
  for (const track of song.tracks) for (const take of track.takes) take.edits = validatedEdits(take.edits);
  requireWhole(song);
  return withParts(song);
}

/**
 * Checks how the records of a song hang together: names given once, nothing that points nowhere, comps and alignments in order.
 * @throws DocumentError naming the track
 */
export function requireWhole(song: Song): void {
  requireOnce(song.tracks, 'tracks');
  requireOnce(song.kept, 'kept');
  requireOnce(song.versions, 'versions');
  const takes = new Set<string>();
  for (const track of song.tracks) {
    for (const take of track.takes) {
      if (takes.has(take.id)) throw new DocumentError(`track "${track.name}": take ${take.id} is there twice`);
      takes.add(take.id);
    }
    if (track.phrases) requireOnce(track.phrases, `track "${track.name}": phrases`);
    requireTies(song, track);
    if (!track.part) requireComp(track);
    if (track.time.some((a, i) => i && a.at <= track.time[i - 1].at))
      throw new DocumentError(`track "${track.name}": where it was moved does not run forward`);
    const points = track.found?.points ?? [];
    if (points.length % 2 || points.some((v, i) => i >= 2 && v <= points[i - 2]))
      throw new DocumentError(`track "${track.name}": its alignment does not run forward`);
  }
}

function requireOnce(records: readonly { id: string }[], where: string): void {
  const ids = new Set(records.map(r => r.id));
  if (ids.size === records.length) return;
  const twice = records.find((r, i) => records.findIndex(o => o.id === r.id) !== i)!;
  throw new DocumentError(`${where}: ${twice.id} is there twice`);
}

/** What a track follows, and what it is made from, must be there. */
function requireTies(song: Song, track: Track): void {
  const { followsId, part } = track;
  if (followsId && !song.tracks.some(t => t.id === followsId))
    throw new DocumentError(`track "${track.name}": the track it follows is not there`);
  if (followsId && circles(song, track.id, followsId))
    throw new DocumentError(`track "${track.name}": it follows itself in a circle`);
  if (part && !song.tracks.some(t => t.id === part.fromId))
    throw new DocumentError(`track "${track.name}": the track it is made from is not there`);
  if (part && partCircles(song, track.id, part.fromId))
    throw new DocumentError(`track "${track.name}": it is made from itself in a circle`);
  if (part?.by === 'chords' && !(part.low! < part.high!))
    throw new DocumentError(`track "${track.name}": its compass has no low and no high end`);
}

function requireComp(track: Track): void {
  const { takes, segments } = track;
  if (segments.some(g => !takes.some(t => t.id === g.takeId)))
    throw new DocumentError(`track "${track.name}": its comp names a take that is not there`);
  if (takes.length && !segments.length) throw new DocumentError(`track "${track.name}": its comp is missing`);
  if (segments.some((g, i) => (i ? g.at <= segments[i - 1].at : g.at !== 0)))
    throw new DocumentError(`track "${track.name}": its comp does not run from the start in order`);
}
