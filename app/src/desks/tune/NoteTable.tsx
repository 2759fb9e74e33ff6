import { noteName, select } from '@essim/core';
import { choose, editsOf, editViewOf, keyOf, useSession } from '../../store/session';

/** The notes of the edited track as a table, for those who do not see the field. */
export function NoteTable() {
  const session = useSession();
  const view = editViewOf(session);
  const edits = editsOf(session);
  const { key } = keyOf(session);
  return (
    <table className="sr-only" data-testid="notes">
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
        {view.notes.map(n => (
          <tr key={n.key}>
            <td>{n.start.toFixed(2)} s</td>
            <td>{(n.end - n.start).toFixed(2)} s</td>
            <td>
              {noteName(n.sung, key)} {Math.round((n.sung - Math.round(n.sung)) * 100)} cents
            </td>
            <td>
              <button tabIndex={-1} onClick={() => choose(select(session.editTrackId, [n.key]))}>
                {edits[n.key]?.target === undefined ? 'as sung' : noteName(edits[n.key].target!, key)}
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
