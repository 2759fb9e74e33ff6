/** The eight desks in the order of the work, and what each is for. */
export const DESKS = [
  {
    id: 'gather',
    name: 'Gather',
    about: 'Bring the recordings in, choose the best take phrase by phrase, and set key, tempo and range.',
  },
  {
    id: 'listen',
    name: 'Listen',
    about:
      'Check what Essim heard: other octaves, borders, breaths and consonants, put right without changing a sample.',
  },
  {
    id: 'tune',
    name: 'Tune',
    about: 'Put notes where they are meant to be and decide how much life they keep.',
  },
  {
    id: 'time',
    name: 'Time',
    about: 'Move late words, stretch the last one, close a gap; consonants stay crisp.',
  },
  { id: 'tone', name: 'Tone', about: 'Level, breaths, sibilants and the colour of each note.' },
  {
    id: 'align',
    name: 'Align',
    about: 'Doubles and harmonies follow their lead in time and, if wanted, in pitch.',
  },
  { id: 'parts', name: 'Parts', about: 'Make harmonies from the lead, from chords or from keys.' },
  {
    id: 'deliver',
    name: 'Deliver',
    about: 'Mix, bounce and hand over stems that line up at bar 1.',
  },
] as const;
export type DeskId = (typeof DESKS)[number]['id'];
