import { DocumentError, DOCUMENT_VERSION, Song, validatedSong } from '.';

const songWith = (tuning: unknown): unknown => ({
  ...Object.assign(new Song(), { id: 'quay', name: 'Quay', sampleRate: 48000 }),
  version: DOCUMENT_VERSION,
  tuning,
});
const good = { name: 'two', steps: [0, 600], period: 1200, root: null, rules: [{ step: 1, rule: 'to', to: 0 }] };

test('a tuning comes in as it is', () => {
  expect(validatedSong(songWith(good)).tuning).toMatchObject(good);
  expect(validatedSong(songWith(null)).tuning).toBeNull();
});

test.each([
  ['no steps', { steps: [] }, 'steps must rise from 0'],
  ['steps that fall', { steps: [0, 600, 500] }, 'steps must rise from 0'],
  ['steps beyond the period', { steps: [0, 1200] }, 'steps must rise from 0'],
  ['steps that begin elsewhere', { steps: [1, 2] }, 'steps must rise from 0'],
  ['a rule of a step that is not there', { rules: [{ step: 2, rule: 'off' }] }, 'rules must name steps'],
  ['a rule that goes nowhere', { rules: [{ step: 1, rule: 'to' }] }, 'rules must name steps'],
  ['a rule of no kind', { rules: [{ step: 1, rule: 'loud' }] }, 'rule'],
  ['no period', { period: 0 }, 'period'],
])('%s is refused by its name', (_, fields, message) => {
  const come = () => validatedSong(songWith({ ...good, ...fields }));
  expect(come).toThrow(DocumentError);
  expect(come).toThrow(message);
});
