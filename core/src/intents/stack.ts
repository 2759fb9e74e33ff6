import {
  besideIn,
  counterpartsOf,
  pitchNow,
  usualAlign,
  type Counterparts,
  type Score,
  type TrackSyllable,
  type TrackView,
} from '../score';
import {
  AlignRule,
  circles,
  isVocal,
  setTrack,
  TieMark,
  together,
  type Change,
  type Track,
  type TrackFields,
} from '../song';
import { counted, type Span } from '../units';
import { editOf, withEdits, type NoteChange } from './edit-notes';
import { countedOf, notesOf, Refused, meantSyllables, type Intent, type Stage, type TargetNote } from './intent';
import { retimed } from './time';

/** Stacks: who leads, who follows, how near. */

/** Two moments nearer than this are the same word's, s. */
export const SAME_WORD = 0.03;

/** What a track that follows another lead from now on gives up: what was found and tied with the old one. */
export const following = (track: Track, followsId: string | null): TrackFields => ({
  followsId,
  found: null,
  align: track.align && Object.assign(new AlignRule(), track.align, { ties: [], moved: [] }),
});

/** A rule with a tie added: ties may not cross, so what the new one contradicts goes. */
export function withTie(rule: AlignRule, tie: TieMark): AlignRule {
  const others = rule.ties.filter(
    t => Math.abs(t.follower - tie.follower) > SAME_WORD && (t.follower - tie.follower) * (t.lead - tie.lead) > 0,
  );
  const moved = rule.moved.filter(m => Math.abs(m.at - tie.follower) > SAME_WORD);
  return Object.assign(new AlignRule(), rule, {
    moved,
    ties: [...others, tie].sort((a, b) => a.follower - b.follower),
  });
}

/** A rule with a stretch left as sung; what it touches becomes one with it. */
export function withAsSung(rule: AlignRule, start: number, end: number): AlignRule {
  const touching = rule.asSung.filter(a => a.start < end && a.end > start);
  const rest = rule.asSung.filter(a => !touching.includes(a));
  const whole = {
    start: Math.min(start, ...touching.map(a => a.start)),
    end: Math.max(end, ...touching.map(a => a.end)),
  };
  return Object.assign(new AlignRule(), rule, { asSung: [...rest, whole].sort((a, b) => a.start - b.start) });
}

const followersOf = ({ target, score }: Stage): Track[] => {
  const list = target.tracks.map(t => t.track).filter(t => t.followsId && !t.part);
  if (!list.length) throw new Refused('none of these tracks follows another');
  return list.map(t => score.track(t.id)!);
};

const follow: Intent = {
  name: 'follow',
  title: 'Follow',
  about: 'Lets tracks follow another in time; without a lead they follow nobody.',
  on: 'tracks',
  args: [{ name: 'lead', about: 'name of the track that leads', kind: 'text', most: 200 }],
  act({ score, target }, { lead: name }) {
    const { song } = score;
    const lead = name === undefined ? null : song.tracks.find(t => t.name === name || t.id === name);
    if (lead === undefined) throw new Refused(`there is no track "${name as string}" to follow`);
    const tracks = target.tracks.map(t => t.track).filter(t => t.id !== lead?.id);
    if (!tracks.length) throw new Refused('no track is meant that could follow');
    if (lead && !isVocal(lead)) throw new Refused(`${lead.name} is a backing; only a voice leads`);
    const changes: Change[] = [];
    for (const track of tracks) {
      if (!isVocal(track) || track.part)
        throw new Refused(`${track.name} cannot follow: it is ${track.part ? 'a part' : 'a backing'}`);
      if (lead && circles(song, track.id, lead.id))
        throw new Refused(`${track.name} cannot follow ${lead.name}: ${lead.name} already follows ${track.name}`);
      if (track.followsId !== (lead?.id ?? null)) changes.push(setTrack(track.id, following(track, lead?.id ?? null)));
    }
    const who = tracks.length === 1 ? tracks[0].name : counted(tracks.length, 'track');
    const label = `${who} ${tracks.length === 1 ? 'follows' : 'follow'} ${lead?.name ?? 'nobody'}`;
    return { label, song: together(changes)(song) };
  },
};

const align: Intent = {
  name: 'align',
  title: 'Align',
  about: 'Brings followers to their leads.',
  on: 'tracks',
  listens: true,
  args: [
    { name: 'closeness', about: 'how near the timing comes', kind: 'number', low: 0, high: 100, unit: '%' },
    { name: 'pitchLean', about: 'how near the pitch comes', kind: 'number', low: 0, high: 100, unit: '%' },
    {
      name: 'levelLean',
      about: 'how near the phrasing of loudness comes',
      kind: 'number',
      low: 0,
      high: 100,
      unit: '%',
    },
    { name: 'bending', about: 'most that a word is bent', kind: 'number', low: 1, high: 2.5, unit: 'times' },
  ],
  async act(stage, { closeness, pitchLean, levelLean, bending }) {
    if (!stage.findAlignment) throw new Refused('no sound is at hand to align by');
    const changes: Change[] = [];
    const followers = followersOf(stage);
    for (const track of followers) {
      const rule = Object.assign(new AlignRule(), track.align ?? usualAlign, {
        ...(closeness === undefined ? {} : { closeness }),
        ...(pitchLean === undefined ? {} : { lean: pitchLean }),
        ...(levelLean === undefined ? {} : { levelLean }),
        ...(bending === undefined ? {} : { bending }),
      });
      changes.push(setTrack(track.id, { align: rule, found: await stage.findAlignment(track, rule.ties) }));
    }
    const label = followers.length === 1 ? `Align ${followers[0].name}` : `Align ${followers.length} followers`;
    return { label, song: together(changes)(stage.score.song) };
  },
};

const tie: Intent = {
  name: 'tie',
  title: 'Tie',
  about: 'Says which moments of a follower and its lead belong together, and aligns about them anew.',
  on: 'tracks',
  listens: true,
  args: [
    {
      name: 'follower',
      about: 'the follower’s moment, as sung',
      kind: 'number',
      low: 0,
      high: 86400,
      unit: 's',
      required: true,
    },
    { name: 'lead', about: 'the lead’s moment', kind: 'number', low: 0, high: 86400, unit: 's', required: true },
    { name: 'locked', about: 'met exactly, whatever the closeness', kind: 'flag' },
  ],
  async act(stage, args) {
    const [track, ...more] = followersOf(stage);
    if (more.length) throw new Refused('a tie is of one follower at a time');
    if (!stage.findAlignment) throw new Refused('no sound is at hand to align by');
    const { follower, lead, locked } = args as { follower: number; lead: number; locked?: boolean };
    const mark = Object.assign(new TieMark(), { follower, lead, ...(locked ? { locked } : {}) });
    const rule = withTie(track.align ?? usualAlign, mark);
    const found = await stage.findAlignment(track, rule.ties);
    return { label: `Tie ${track.name}`, song: setTrack(track.id, { align: rule, found })(stage.score.song) };
  },
};

const leave: Intent = {
  name: 'leave',
  title: 'Leave as sung',
  about: 'Leaves a stretch of followers as it was sung.',
  on: 'span',
  args: [],
  act(stage) {
    const { span } = stage.target;
    if (!span) throw new Refused('no stretch is meant');
    const tracks = followersOf(stage);
    const changes = tracks.map(t =>
      setTrack(t.id, { align: withAsSung(t.align ?? usualAlign, Math.max(0, span.start), span.end) }),
    );
    return { label: 'Leave as sung', song: together(changes)(stage.score.song) };
  },
};

const pull: Intent = {
  name: 'pull',
  title: 'Pull to the lead',
  about: 'Pulls where notes of followers begin and end, or their pitch, to what their lead sings there.',
  on: 'notes',
  hears: true,
  args: [{ name: 'what', about: 'what of them', kind: 'choice', of: ['borders', 'pitch'], required: true }],
  act(stage, { what }) {
    const { score } = stage;
    if (what === 'borders') {
      const pairs = besideLeads(score, meantSyllables(stage), v => v.syllables);
      const label = `Borders of ${countedOf(pairs.map(p => p.t))} to the lead’s`;
      return retimed(stage, label, new Set(pairs.map(p => p.t.track)), (timing, track) =>
        timing.pulled(
          new Map(
            pairs.flatMap(({ t, leads, beside }) =>
              t.track === track ? [[t.note.key, bordersIn(beside, leads, t.note)]] : [],
            ),
          ),
        ),
      );
    }
    const changes = besideLeads(score, notesOf(stage), v => v.notes).map(({ t, leads, beside }): NoteChange => {
      const own = score.view(beside.lead.id);
      const lead = pitchNow(own, leads[0]) ?? leads[0].sung;
      const apart = t.note.sung - lead;
      // a double sings what its lead does, in its own octave; a harmony keeps its interval
      const interval = t.track.role === 'double' ? 12 * Math.round(apart / 12) : Math.round(apart);
      return [t.note, { ...editOf(score, t), target: Math.round((lead + interval) * 1000) / 1000 }];
    });
    return {
      label: `Pitch of ${counted(changes.length, 'note')} to the lead’s`,
      song: withEdits(score, changes, stage.newId),
    };
  },
};

/**
 * A follower's syllables with those of its lead that sound where they should; what has no counterpart is left out.
 * @throws Refused when none has one
 */
function besideLeads<Of extends TrackSyllable>(
  score: Score,
  meant: readonly TargetNote<Of>[],
  of: (lead: TrackView) => readonly Of[],
): { t: TargetNote<Of>; leads: Of[]; beside: Counterparts }[] {
  const known = new Map<Track, Counterparts | null>();
  const out = meant.flatMap(t => {
    if (!known.has(t.track)) known.set(t.track, t.track.part ? null : counterpartsOf(score, t.track));
    const beside = known.get(t.track);
    if (!beside || beside.alone(t.note)) return [];
    const leads = besideIn(beside, of(score.view(beside.lead.id)), t.note);
    return leads.length ? [{ t, leads, beside }] : [];
  });
  if (!out.length) throw new Refused('none of these notes has a counterpart in a lead');
  return out;
}

/** A border of the lead so near where a follower's belongs is that border, s. */
const SAME_BORDER = 0.25;

/** Where a follower's note begins and ends in its lead. */
function bordersIn(beside: Counterparts, leads: readonly Span[], note: Span): Span {
  const near = (wanted: number, borders: readonly number[]) => {
    const best = borders.reduce((a, b) => (Math.abs(b - wanted) < Math.abs(a - wanted) ? b : a));
    return Math.abs(best - wanted) < SAME_BORDER ? best : wanted;
  };
  const start = near(
    beside.inLead(note.start),
    leads.map(l => l.start),
  );
  const end = near(
    beside.inLead(note.end),
    leads.map(l => l.end),
  );
  return end - start > 0.03 ? { start, end } : { start, end: start + Math.max(0.03, note.end - note.start) };
}

export const STACK_INTENTS: readonly Intent[] = [follow, align, tie, leave, pull];
