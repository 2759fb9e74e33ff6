import { guideOf, heardStretches, HOP, keySpans, leans, scaleIn } from '@essim/core';
import {
  editTrackOf,
  editViewOf,
  keyOf,
  leadOf,
  loopSpan,
  scaleAtOf,
  songOf,
  useSession,
  viewOf,
  type SessionState,
} from '../open-song';
import { usePalette } from '../shell/theme';
import { trackColour } from './palette';
import { PLAIN, type Dress } from './dress';
import { sceneNotes, sceneSpoken, type Scene, type SceneLine } from './scene';
import type { Layout } from './viewport';

/** What the field shows of the edited track, for any desk; with all that it depends on. */
export function useScene(
  dress: Dress = PLAIN,
  /** Whether the line is drawn in its track's colour, for another's is beside it. */
  coloured = false,
): {
  scene: (layout: Layout) => Scene | null;
  version: unknown[];
  trackName: string;
} {
  const session = useSession();
  const palette = usePalette();
  const song = songOf(session);
  const view = editViewOf(session);
  const edited = editTrackOf(session);
  const scene = (layout: Layout): Scene | null => {
    if (!song) return null;
    const selected: ReadonlySet<string> =
      session.selection.trackId === session.editTrackId ? session.selection.notes : new Set();
    const others = session.viewedTrackIds.flatMap((id): SceneLine[] => {
      const other = song.tracks.find(t => t.id === id);
      return other ? [{ colour: trackColour(other), line: viewOf(session, id).line }] : [];
    });
    return {
      layout,
      view: session.view,
      palette,
      song,
      duration: session.duration,
      keys: keySpans(song, keyOf(session).key).map(k => ({ ...k, scale: scaleIn(song, k.key) })),
      reading: view.reading,
      // what a part is made from was sung by its lead
      sungLine: edited?.part ? view.line : view.sungLine,
      line: view.line.length ? view.line : view.sungLine,
      gainDb: view.gainDb,
      notes: sceneNotes({
        facts: view.notes,
        edits: view.edits,
        words: view.words,
        selected,
        scaleAt: scaleAtOf(session),
        ...(edited && (leans(edited) || edited.whole.length) && view.line.length
          ? { lines: { sung: view.sungLine, now: view.line, hop: HOP } }
          : {}),
      }),
      spoken: sceneSpoken(view, selected),
      // where nothing is sung yet the lead's phrases say where it would be
      phrases: edited && !edited.takes.length ? leadPhrases(session) : view.phrases,
      others,
      span: session.selection.trackId === session.editTrackId ? session.selection.span : null,
      alternatives: edited ? heardStretches(song, edited, edited.alternatives) : [],
      whole: edited ? heardStretches(song, edited, edited.whole) : [],
      guide: edited ? guideOf(song, edited) : null,
      loop: session.looping ? loopSpan(session) : null,
      edited: session.edited,
      colour: coloured && edited ? trackColour(edited) : 'teal',
      dress,
    };
  };
  const version = [
    session.view,
    view,
    session.selection,
    palette,
    song,
    session.duration,
    session.viewedTrackIds,
    session.looping,
    session.edited,
    session.views,
    session.backing,
    dress,
  ];
  return { scene, version, trackName: edited?.name ?? 'the track' };
}

function leadPhrases(s: SessionState): Scene['phrases'] {
  const lead = leadOf(songOf(s)!);
  return lead ? viewOf(s, lead.id).phrases : [];
}
