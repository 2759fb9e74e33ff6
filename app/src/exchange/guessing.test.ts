import { guessChannels, guessFile, settleRoles } from './guessing';

const role = (name: string) => guessFile(name).role;
const voice = { peakDb: -6, channelDb: [-20], correlation: 1 };

describe('what a file is, by its name', () => {
  it.each([
    ['lead.wav', 'lead'],
    ['Ferry Lamp - Lead Vox.wav', 'lead'],
    ['dbl L.wav', 'double'],
    ['Lead_Dbl_R.wav', 'double'],
    ['harm hi.flac', 'harmony'],
    ['BVs low.wav', 'harmony'],
    ['backing vocals.wav', 'harmony'],
    ['inst.mp3', 'backing'],
    ['Backing Track.wav', 'backing'],
    ['bass.wav', 'backing'],
    ['drums 01.wav', 'backing'],
    ['take 3.wav', 'lead'],
  ])('%s: %s', (name, wanted) => expect(role(name)).toBe(wanted));

  it('knows takes of one track, and sides of doubles', () => {
    expect(guessFile('lead t1.wav')).toMatchObject({ name: 'Lead', group: 'lead', take: 1 });
    expect(guessFile('lead take 12.wav')).toMatchObject({ group: 'lead', take: 12 });
    expect(guessFile('Lead_02.wav')).toMatchObject({ group: 'lead', take: 2 });
    expect(guessFile('drums 01.wav').take).toBeNull();
    expect(guessFile('dbl L.wav').pan).toBeLessThan(0);
    expect(guessFile('dbl right.wav').pan).toBeGreaterThan(0);
    expect(guessFile('lead L.wav').pan).toBe(0);
  });

  it('knows two microphones of one singer', () => {
    const [close, room] = ['lead close.wav', 'lead room.wav'].map(n => guessFile(n));
    expect(close).toMatchObject({ microphone: true, group: 'lead' });
    expect(room.group).toBe(close.group);
    expect(guessFile('lead mic1.wav').group).toBe(guessFile('lead mic2.wav').group);
    expect(guessFile('drum room.wav').microphone).toBe(false);
  });

  it('makes one lead of names that say nothing, and listens to what they hold', () => {
    const names = ['001.wav', '002.wav', '003.wav'];
    expect(settleRoles(names.map(n => guessFile(n))).map(g => g.role)).toEqual(['lead', 'backing', 'backing']);
    const wide = { peakDb: -3, channelDb: [-18, -18], correlation: 0.4 };
    expect(guessFile('001.wav', wide).role).toBe('backing');
    expect(guessFile('lead.wav', wide).role).toBe('lead');
  });
});

describe('which channels of it', () => {
  const two = (l: number, r: number, correlation: number) => ({ peakDb: -3, channelDb: [l, r], correlation });
  it('by their levels and likeness', () => {
    expect(guessChannels(voice, 'lead')).toBe('stereo');
    expect(guessChannels(two(-20, -95, 0), 'lead')).toBe('left');
    expect(guessChannels(two(-95, -20, 0), 'lead')).toBe('right');
    expect(guessChannels(two(-20, -20, 0.999), 'lead')).toBe('mix');
    expect(guessChannels(two(-20, -20, 0.999), 'backing')).toBe('stereo');
    expect(guessChannels(two(-20, -22, 0.7), 'harmony')).toBe('stereo');
  });
});
