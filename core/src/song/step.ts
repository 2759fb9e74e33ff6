import { DocumentError, requireWhole, validated, validatedEdits } from './check';
import type { NoteEdit, Song } from './document';
import { withoutParts, withParts } from './parts';
import { SONG_SHAPE, type RecordShape } from './records';

/** Where a record stands: names of lists and ids by turns, from the song down. */
export type RecordPlace = readonly string[];
type Plain = Record<string, unknown>;

/**
 * One change of a song. `set` and `unset` name fields of a record; `put` and `gone` records of a list by their ids (`order` where the
 * order is another); `edits` the edits of a take, null for those that go; `splice` items of a list without ids: from where, how many
 * go, and what comes.
 */
export interface RecordChange {
  at: RecordPlace;
  set?: Plain;
  unset?: string[];
  gone?: string[];
  put?: Plain[];
  order?: string[];
  edits?: Record<string, NoteEdit | null>;
  splice?: [from: number, gone: number, put: unknown[]];
}

/**
 * A small change of a song: the records that are put and taken away, and no more. It is found by comparing two states, which share what
 * did not change; its inverse is found the same way round, so undoing is exact.
 */
export class Step {
  constructor(readonly changes: readonly RecordChange[]) {}

  /** The step from one state of a song to another; null when nothing of it is stored otherwise. Cost: of what changed. */
  static between(before: Song, after: Song): Step | null {
    const changes: RecordChange[] = [];
    compareRecords(withoutParts(before), withoutParts(after), SONG_SHAPE, [], changes);
    return changes.length ? new Step(changes) : null;
  }

  /** A step from its stored form. @throws DocumentError when it is none */
  static from(stored: unknown): Step {
    if (!Array.isArray(stored)) throw new DocumentError('a step is a list of changes');
    for (const c of stored as unknown[]) {
      const at = (c as Plain | null)?.at;
      if (!Array.isArray(at) || !at.every(p => typeof p === 'string'))
        throw new DocumentError('a change does not say where it is');
      const { set, edits, gone, put, order, splice } = c as Plain;
      if (![set, edits].every(v => v === undefined || isPlain(v)) || ![gone, put, order, splice].every(isListOrNone))
        throw new DocumentError('a change is damaged');
    }
    return new Step(stored as RecordChange[]);
  }

  toJSON(): readonly RecordChange[] {
    return this.changes;
  }

  /**
   * The song with this step taken; the song given stays as it is. What the step puts is checked.
   * @throws DocumentError naming what cannot be done or would be out of bounds
   */
  apply(song: Song): Song {
    const after = this.changes.reduce<Song>(
      (s, c) => changedAt(s as unknown as Plain, c.at, SONG_SHAPE, c) as unknown as Song,
      withoutParts(song),
    );
    this.check(after);
    return withParts(after);
  }

  /** Checks what this step put into a song. @throws DocumentError naming the field */
  check(after: Song): void {
    const own = withoutParts(after);
    for (const c of this.changes) checkChange(own as unknown as Plain, c);
    requireWhole(own);
  }
}

const isListOrNone = (v: unknown) => v === undefined || Array.isArray(v);
const isPlain = (v: unknown): v is Plain => typeof v === 'object' && v !== null && !Array.isArray(v);

/** Whether two stored values are the same; a field that is absent and one that is undefined are. */
export function sameValue(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((v, i) => sameValue(v, b[i]));
  if (!isPlain(a) || !isPlain(b)) return false;
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].every(k => sameValue(a[k], b[k]));
}

// ---- comparing

function compareRecords(a: object, b: object, shape: RecordShape, at: RecordPlace, out: RecordChange[]): void {
  if (a === b) return;
  const [p, q] = [a as Plain, b as Plain];
  const set: Plain = {};
  const unset: string[] = [];
  for (const name of new Set([...Object.keys(p), ...Object.keys(q)])) {
    const [v, w] = [p[name], q[name]];
    if (Object.is(v, w)) continue;
    const here = [...at, name];
    const { records, items, single, edits } = shape;
    if (edits === name) compareEdits(v as Plain, w as Plain, here, out);
    else if (records?.[name] && v && w) compareLists(v as Listed[], w as Listed[], records[name], here, out);
    else if (items && name in items && v && w) compareItems(v as unknown[], w as unknown[], here, out);
    else if (single?.[name] && v && w) compareRecords(v, w, single[name], here, out);
    else if (w === undefined) unset.push(name);
    else if (!sameValue(v, w)) set[name] = w;
  }
  if (Object.keys(set).length || unset.length)
    out.push({ at, ...(Object.keys(set).length ? { set } : {}), ...(unset.length ? { unset } : {}) });
}

function compareEdits(a: Plain, b: Plain, at: RecordPlace, out: RecordChange[]): void {
  const edits: Record<string, NoteEdit | null> = {};
  for (const id of Object.keys(b)) if (!sameValue(a[id], b[id])) edits[id] = b[id] as NoteEdit;
  for (const id of Object.keys(a)) if (!(id in b)) edits[id] = null;
  if (Object.keys(edits).length) out.push({ at, edits });
}

type Listed = { id: string };

function compareLists(
  a: readonly Listed[],
  b: readonly Listed[],
  shape: RecordShape,
  at: RecordPlace,
  out: RecordChange[],
): void {
  const before = new Map(a.map(r => [r.id, r]));
  const after = new Set(b.map(r => r.id));
  const gone = a.filter(r => !after.has(r.id)).map(r => r.id);
  const put = b.filter(r => !before.has(r.id));
  for (const r of b) {
    const old = before.get(r.id);
    if (old) compareRecords(old, r, shape, [...at, r.id], out);
  }
  const kept = [...a.filter(r => after.has(r.id)), ...put].map(r => r.id);
  const order = b.map(r => r.id);
  const moved = order.some((id, i) => id !== kept[i]);
  if (gone.length || put.length || moved)
    out.push({
      at,
      ...(gone.length ? { gone } : {}),
      ...(put.length ? { put: put as unknown as Plain[] } : {}),
      ...(moved ? { order } : {}),
    });
}

function compareItems(a: readonly unknown[], b: readonly unknown[], at: RecordPlace, out: RecordChange[]): void {
  const least = Math.min(a.length, b.length);
  let from = 0;
  while (from < least && sameValue(a[from], b[from])) from++;
  let left = 0;
  while (left < least - from && sameValue(a[a.length - 1 - left], b[b.length - 1 - left])) left++;
  const [gone, put] = [a.length - left - from, b.slice(from, b.length - left)];
  if (gone || put.length) out.push({ at, splice: [from, gone, put] });
}

// ---- applying

const nowhere = (at: RecordPlace) => new DocumentError(`there is no ${at.join(' ')} in this song`);

/** A record with a change made somewhere below it. */
function changedAt(record: Plain, at: RecordPlace, shape: RecordShape, change: RecordChange): Plain {
  if (!at.length) {
    const out = { ...record, ...change.set };
    for (const name of change.unset ?? []) delete out[name];
    return out;
  }
  const [name, ...rest] = at;
  const value = record[name];
  const { records, items, single, edits } = shape;
  if (edits === name && !rest.length) return { ...record, [name]: withEdits(value as Plain, change) };
  if (items && name in items && Array.isArray(value) && !rest.length)
    return { ...record, [name]: spliced(value, change) };
  if (single?.[name] && isPlain(value)) return { ...record, [name]: changedAt(value, rest, single[name], change) };
  if (!records?.[name] || !Array.isArray(value)) throw nowhere(change.at);
  const list = value as (Plain & Listed)[];
  if (!rest.length) return { ...record, [name]: relisted(list, change) };
  const [id, ...below] = rest;
  if (!list.some(r => r.id === id)) throw nowhere(change.at);
  return { ...record, [name]: list.map(r => (r.id === id ? changedAt(r, below, records[name], change) : r)) };
}

function withEdits(edits: Plain, change: RecordChange): Plain {
  const out = { ...edits };
  for (const [id, edit] of Object.entries(change.edits ?? {})) {
    if (edit) out[id] = edit;
    else delete out[id];
  }
  return out;
}

function spliced(items: readonly unknown[], { splice, at }: RecordChange): unknown[] {
  const [from, gone, put] = splice ?? [0, 0, []];
  if (!(from >= 0 && gone >= 0 && from + gone <= items.length) || !Array.isArray(put)) throw nowhere(at);
  return [...items.slice(0, from), ...put, ...items.slice(from + gone)];
}

function relisted<R extends Listed>(list: readonly R[], { gone = [], put = [], order, at }: RecordChange): R[] {
  const out = [...list.filter(r => !gone.includes(r.id)), ...(put as unknown as R[])];
  if (!order) return out;
  const byId = new Map(out.map(r => [r.id, r]));
  if (order.length !== out.length || order.some(id => !byId.has(id))) throw nowhere(at);
  return order.map(id => byId.get(id)!);
}

// ---- checking

/** A record without the lists below it: these are checked when they change. */
function bare(record: Plain, { records, items, single, edits }: RecordShape): Plain {
  const out = { ...record };
  for (const name of Object.keys({ ...records, ...items })) if (Array.isArray(out[name])) out[name] = [];
  for (const name of Object.keys(single ?? {})) if (single![name].items) out[name] = null;
  if (edits) out[edits] = {};
  // found alignments are long and checked where they are made
  if ('found' in out) out.found = null;
  return out;
}

function checkChange(song: Plain, change: RecordChange): void {
  let record = song;
  let shape = SONG_SHAPE;
  const { at } = change;
  const inPlace = (check: () => unknown) => {
    try {
      check();
    } catch (error) {
      throw new DocumentError([...at, (error as Error).message].join('.'));
    }
  };
  for (let i = 0; i < at.length; i++) {
    const name = at[i];
    if (shape.edits === name) {
      const put = Object.entries(change.edits ?? {}).filter(([, e]) => e);
      return inPlace(() => validatedEdits(Object.fromEntries(put)));
    }
    if (shape.items && name in shape.items) {
      const type = shape.items[name];
      return inPlace(() => {
        for (const item of change.splice?.[2] ?? []) if (type) validated(type, item);
      });
    }
    if (shape.single?.[name]) {
      record = record[name] as Plain;
      shape = shape.single[name];
      continue;
    }
    shape = shape.records![name];
    const id = at[++i] as string | undefined;
    if (id === undefined)
      return inPlace(() => (change.put ?? []).forEach(r => (validated(shape.type, r), checkEditsOf(r))));
    record = (record[name] as (Plain & Listed)[]).find(r => r.id === id)!;
  }
  inPlace(() => {
    validated(shape.type, bare(record, shape));
    for (const [name, value] of Object.entries(change.set ?? {})) {
      const single = shape.single?.[name];
      if (single && value) validated(single.type, value);
      const listed = shape.records?.[name]?.type ?? shape.items?.[name];
      if (listed && Array.isArray(value)) for (const item of value) validated(listed, item);
    }
  });
}

/** Edits in a whole take or track that is put. */
function checkEditsOf(record: Plain): void {
  if (isPlain(record.edits)) validatedEdits(record.edits);
  if (Array.isArray(record.takes)) for (const take of record.takes as Plain[]) checkEditsOf(take);
}
