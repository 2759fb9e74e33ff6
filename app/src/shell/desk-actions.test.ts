// what needs a browser to be loaded
jest.mock('../desks/gather/RecordBar', () => ({}));
jest.mock('lucide-react', () => ({}));
jest.mock('./theme', () => ({}));

import { ALIGN_ACTIONS } from '../desks/align/actions';
import { DELIVER_ACTIONS } from '../desks/deliver/actions';
import { GATHER_ACTIONS } from '../desks/gather/actions';
import { LISTEN_ACTIONS } from '../desks/listen/actions';
import { PARTS_ACTIONS } from '../desks/parts/actions';
import { TIME_ACTIONS } from '../desks/time/actions';
import { TONE_ACTIONS } from '../desks/tone/actions';
import { TUNE_ACTIONS } from '../desks/tune/actions';
import { deskActions } from './desk-actions';

const DESKS = {
  gather: GATHER_ACTIONS,
  listen: LISTEN_ACTIONS,
  tune: TUNE_ACTIONS,
  time: TIME_ACTIONS,
  tone: TONE_ACTIONS,
  align: ALIGN_ACTIONS,
  parts: PARTS_ACTIONS,
  deliver: DELIVER_ACTIONS,
};

// lists, help and keys of the user's own go by ids
test.each(Object.entries(DESKS))('at %s every command has an id of its own', (_, own) => {
  for (const showsNotes of [true, false]) {
    const ids = deskActions({ actions: () => own, showsNotes }).map(a => a.id);
    expect(ids.filter((id, i) => ids.indexOf(id) !== i)).toEqual([]);
  }
});
