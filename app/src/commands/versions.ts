import { backTo, DocumentError, type Version } from '@essim/core';
import { toast } from 'sonner';
import { act, change, giveUp, songOf, useSession, type SessionState } from '../open-song';

/** States of the song kept by name: to go back to, and to hear beside what is there now. */

const state = useSession.getState;

/** Keeps the song as it is. @returns whether it was */
export const keepVersion = (name: string): boolean => act('version', { name }, { also: { now: Date.now() } });

/** A name nobody has taken: "Version 3". */
export function nextVersionName(): string {
  const taken = new Set(songOf(state())?.versions.map(v => v.name));
  for (let n = taken.size + 1; ; n++) if (!taken.has(`Version ${n}`)) return `Version ${n}`;
}

export function goBackTo(version: Version): void {
  giveUp();
  if (act('back-to', { name: version.id })) toast(`The song is as in ${version.name}. Undo brings back what was.`);
}

export const forgetVersion = (version: Version): boolean => act('forget-version', { name: version.id });

const labelOf = (version: Version) => `Hearing ${version.name}`;
/** The version that is heard and seen instead of the song, until anything is done. */
export const versionHeard = (s: SessionState): Version | null => {
  const label = s.draft?.label;
  return (label && s.history?.song.versions.find(v => labelOf(v) === label)) || null;
};

/** Hears a version in the place of the song while it plays on; the same again, or null, goes back to what is there now. */
export function hearVersion(version: Version | null): void {
  const heard = versionHeard(state());
  giveUp();
  if (!version || heard?.id === version.id) return;
  try {
    change(labelOf(version), song => backTo(song, version), { held: true });
  } catch (error) {
    if (!(error instanceof DocumentError)) throw error;
  }
}

/** Goes through the song as it is now and each of its versions, the last first. */
export function hearNextVersion(): void {
  const versions = state().history?.song.versions ?? [];
  if (!versions.length) return void toast('No version is kept yet: keep one at Deliver.', { id: 'versions' });
  const heard = versionHeard(state());
  const i = heard ? versions.findIndex(v => v.id === heard.id) : versions.length;
  hearVersion(versions[i - 1] ?? null);
  const now = versionHeard(state());
  toast(now ? `Heard: ${now.name}` : 'Heard: the song as it is now', { id: 'versions', duration: 1500 });
}
