import { validated } from './check';
import { clipsOf } from './comp';
import { FoundAlignment, type TieMark, type Track } from './document';

/**
 * What aligning found is long and never changes, so it is kept beside documents and journals under a name made of its content; they hold
 * that name. Everything here works on stored (plain) values.
 */

/** Stands in a stored document for an alignment kept beside it. */
export interface AlignmentName {
  kept: string;
}

const names = new WeakMap<object, string>();

/** Name of what was found: the same content, the same name. */
export function alignmentName(found: FoundAlignment): string {
  let name = names.get(found);
  if (!name) {
    const { stamp, points, apart, rests, confidence } = found;
    names.set(found, (name = hashOf(JSON.stringify({ stamp, points, apart, rests, confidence }))));
  }
  return name;
}

/** 106 bits over a text, as hex: two runs of a multiply-and-mix hash with seeds of their own. */
function hashOf(text: string): string {
  const run = (seed: number) => {
    let a = 0xdeadbeef ^ seed;
    let b = 0x41c6ce57 ^ seed;
    for (let i = 0; i < text.length; i++) {
      const c = text.charCodeAt(i);
      a = Math.imul(a ^ c, 2654435761);
      b = Math.imul(b ^ c, 1597334677);
    }
    a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909);
    b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909);
    return [a, b].map(v => (v >>> 0).toString(16).padStart(8, '0')).join('');
  };
  return run(1) + run(7919);
}

/** A value as it is stored, with the alignments that were taken out of it, by name. */
export function withoutAlignments(value: unknown): { stored: unknown; alignments: Map<string, FoundAlignment> } {
  const alignments = new Map<string, FoundAlignment>();
  const text = JSON.stringify(value, (key, v: unknown) => {
    if (key !== 'found' || typeof v !== 'object' || v === null || !('points' in v)) return v;
    const found = v as FoundAlignment;
    const kept = alignmentName(found);
    alignments.set(kept, found);
    return { kept } satisfies AlignmentName;
  });
  return { stored: JSON.parse(text) as unknown, alignments };
}

const isName = (v: unknown): v is AlignmentName =>
  typeof v === 'object' && v !== null && typeof (v as Partial<AlignmentName>).kept === 'string';

/** Names of the alignments a stored value holds. */
export function alignmentNames(stored: unknown): Set<string> {
  const out = new Set<string>();
  JSON.stringify(stored, (key, v: unknown) => {
    if (key === 'found' && isName(v)) out.add(v.kept);
    return v;
  });
  return out;
}

/**
 * A stored value with its alignments in it again; one that cannot be had is left out, as if it had not been aligned.
 * @param alignments as they were kept, by name; checked here
 */
export function withAlignments(stored: unknown, alignments: ReadonlyMap<string, unknown>): unknown {
  const sound = new Map<string, FoundAlignment | null>();
  return JSON.parse(JSON.stringify(stored), (key, v: unknown) => {
    if (key !== 'found' || !isName(v)) return v;
    if (!sound.has(v.kept)) {
      const kept = alignments.get(v.kept);
      sound.set(v.kept, kept === undefined ? null : validated(FoundAlignment, kept));
    }
    return sound.get(v.kept);
  }) as unknown;
}

/** What an alignment is found in: recordings and comps of both tracks, and ties. When it changes, aligning again is offered. */
export function alignmentStamp(lead: Track, follower: Track, ties: readonly TieMark[]): string {
  const sung = (t: Track) =>
    clipsOf(t).map(c => {
      const take = t.takes.find(k => k.id === c.takeId);
      return [take?.sourceId, take?.channels, c.from, c.to, c.shift, c.levelDb];
    });
  const stamp = JSON.stringify([sung(lead), sung(follower), ties.map(t => [t.follower, t.lead])]);
  return stamp.length < 2000 ? stamp : `${stamp.length} ${hashOf(stamp)}`;
}
