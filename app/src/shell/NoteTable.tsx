import { keyName, noteName, parseKey, select, type TrackView } from '@essim/core';
import { memo, useDeferredValue, useState } from 'react';
import { choose, editViewOf, isFieldHeld, keyOf, useBeside } from '../open-song';

/** The notes of the edited track as a table, for those who do not see the field. Follows commands, not every move of a drag. */
export const NoteTable = memo(function NoteTable() {
  const notes = useBeside(s => editViewOf(s).notes);
  const syllables = useBeside(s => editViewOf(s).syllables);
  const edits = useBeside(s => editViewOf(s).edits);
  const trackId = useBeside(s => s.editTrackId);
  const named = useBeside(s => {
    const { key } = keyOf(s);
    return key && keyName(key);
  });
  const [settled, settle] = useState(edits);
  if (settled !== edits && !isFieldHeld()) settle(edits);
  // thousands of rows may wait until what is seen is drawn
  return (
    <Rows
      notes={useDeferredValue(notes, [])}
      syllables={useDeferredValue(syllables, [])}
      edits={useDeferredValue(settled)}
      trackId={trackId}
      named={named}
    />
  );
});

interface Shown extends Pick<TrackView, 'notes' | 'syllables' | 'edits'> {
  trackId: string;
  /** The key. */
  named: string | null;
}

const Rows = memo(function Rows({ notes, syllables, edits, trackId, named }: Shown) {
  const spoken = syllables.filter(n => n.spoken);
  const key = named ? parseKey(named) : null;
  return (
    // a table cannot be made smaller than what it holds, so what hides it is round it: the page must not scroll
    <div className="sr-only">
      <table data-testid="notes">
        <caption>Notes of the edited track</caption>
        <thead>
          <tr>
            <th>Start</th>
            <th>Length</th>
            <th>Sung</th>
            <th>Meant</th>
          </tr>
        </thead>
        <tbody>
          {spoken.map(n => (
            <tr key={n.key}>
              <td>{n.start.toFixed(2)} s</td>
              <td>{(n.end - n.start).toFixed(2)} s</td>
              <td>spoken</td>
              <td>
                <button tabIndex={-1} onClick={() => choose(select(trackId, [n.key]))}>
                  no pitch
                </button>
              </td>
            </tr>
          ))}
          {notes.map(n => {
            const target = edits[n.key]?.target;
            return (
              <tr key={n.key}>
                <td>{n.start.toFixed(2)} s</td>
                <td>{(n.end - n.start).toFixed(2)} s</td>
                <td>
                  {noteName(n.sung, key)} {Math.round((n.sung - Math.round(n.sung)) * 100)} cents
                </td>
                <td>
                  <button tabIndex={-1} onClick={() => choose(select(trackId, [n.key]))}>
                    {target === undefined ? 'as sung' : noteName(target, key)}
                  </button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
});
