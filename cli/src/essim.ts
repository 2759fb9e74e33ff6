import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import type { AlignOptions } from './align';
import type { ApplyOptions } from './apply';
import type { BundleOptions } from './bundle';
import type { CommandsOptions } from './commands';
import type { ExportOptions } from './export';
import { forgetInputs } from './files';
import type { PartsOptions } from './parts';
import type { UnpickCommandOptions } from './unpick';
import type { ReadOptions } from './read';
import type { RenderOptions } from './render';
import type { ShowOptions } from './show';
import type { TuneOptions } from './tune';

/** A number option within bounds. */
const within = (low: number, high: number) => (text: string) => {
  const v = Number(text);
  if (text.trim() === '' || !Number.isFinite(v) || v < low || v > high)
    throw new InvalidArgumentError(`must be a number from ${low} to ${high}.`);
  return v;
};
const number = (flags: string, about: string, low: number, high: number) =>
  new Option(flags, about).argParser(within(low, high));

/** The commands, made afresh: commander keeps what it was given. */
function commands(): Command {
  const program = new Command('essim')
    .description('Reads, tunes, aligns and harmonises recorded voices, file by file or song by song.')
    .showHelpAfterError(false);

  program
    .command('read')
    .description('what Essim hears in a take: pitch line, notes, unpitched sounds, key')
    .argument('<IN.wav>')
    .requiredOption('--json <OUT.json>', 'where to write the reading')
    .addOption(
      new Option('--range <range>', 'where the voice lies').choices(['auto', 'low', 'mid', 'high']).default('auto'),
    )
    .option('--candidates', "add every frame's other plausible pitches")
    .action(async (path: string, o: ReadOptions) => (await import('./read')).readCommand(path, o));

  program
    .command('render')
    .description('moves pitch, formants or length of a take')
    .argument('<IN.wav>')
    .requiredOption('-o, --output <OUT.wav>', 'where to write the result')
    .addOption(number('--semitones <n>', 'pitch, formants kept', -24, 24).default(0))
    .addOption(number('--formant <n>', 'formants alone, semitones', -12, 12).default(0))
    .addOption(number('--stretch <factor>', 'length', 0.25, 4).default(1))
    .action(async (path: string, o: RenderOptions) => (await import('./render')).renderCommand(path, o));

  program
    .command('tune')
    .description('puts the notes of a take on the steps of a key')
    .argument('<IN.wav>')
    .requiredOption('-o, --output <OUT.wav>', 'where to write the result')
    .option('--key <key>', '"D major", "F# minor" or auto', 'auto')
    .option('--scale <NAME|FILE.scl>', 'a scale by its name, like dorian, or steps from a Scala tuning file')
    .addOption(number('--aim <n>', 'how far centres move, %', 0, 100).default(100))
    .addOption(number('--wander <n>', 'slow unsteadiness kept, %', 0, 100).default(100))
    .addOption(number('--vibrato <n>', 'vibrato kept, %', 0, 200).default(100))
    .addOption(number('--glide <ms>', 'length of the way in; as sung when absent', 0, 1000))
    .addOption(number('--scoop <n>', 'rise into the note kept, %', 0, 100).default(100))
    .addOption(number('--fall <n>', 'drop out of the note kept, %', 0, 100).default(100))
    .option('--whole-take', 'tune the line without notes')
    .addOption(number('--settle <ms>', 'settle time of whole-take tuning', 0, 1000).default(50))
    .option('--melody <GUIDE.mid>', 'the notes to sing')
    .option('--json <R.json>', 'where to write what was done to each note')
    .action(async (path: string, o: TuneOptions) => (await import('./tune')).tuneCommand(path, o));

  program
    .command('align')
    .description('brings doubles and harmonies to the timing, and if wanted the pitch, of a lead')
    .argument('<LEAD.wav>')
    .argument('<FOLLOWER.wav...>')
    .requiredOption('-o, --output <OUT.wav|DIR>', 'where to write the result; with several followers a folder')
    .addOption(number('--closeness <n>', 'how near the timing comes, %', 0, 100).default(100))
    .addOption(number('--lean <n>', 'how near the pitch comes, %', 0, 100).default(0))
    .addOption(number('--level-lean <n>', 'how near the phrasing of loudness comes, %', 0, 100).default(0))
    .option('--tie <pair...>', 'F=L: moments that belong together, follower and lead seconds; ! meets them exactly')
    .option('--json <MAP.json>', 'where to write the matching times')
    .action(async (lead: string, followers: string[], o: AlignOptions) =>
      (await import('./align')).alignCommand(lead, followers, o),
    );

  program
    .command('unpick')
    .description('takes a recorded chord apart, a track a line')
    .argument('<IN.wav>')
    .requiredOption('-o, --output <OUT.mid>', 'where to write the notes')
    .addOption(number('--voices <n>', 'how many sing (default: as many as are heard)', 1, 4))
    .option('--json <OUT.json>', 'where to write them as numbers')
    .action(async (path: string, o: UnpickCommandOptions) => (await import('./unpick')).unpickCommand(path, o));

  program
    .command('parts')
    .description('makes harmonies from a lead, one file a part')
    .argument('<LEAD.wav>')
    .requiredOption('-o, --output <DIR>', 'the folder to write the parts to')
    .requiredOption('--key <key>', '"D major", "F# minor"')
    .option('--part <interval...>', '+3rd, -6th, +8ve or +4st')
    .option('--chords <names>', '"D G A D": parts led through these, each as long as the others')
    .addOption(number('--voices <n>', 'how many parts the chords make', 1, 4).default(2))
    .option('--melody <GUIDE.mid>', 'a part that sings this on the words of the lead')
    .addOption(
      number(
        '--scatter <n>',
        'differences in time and pitch, % (default: what two singers differ by; more an octave away)',
        0,
        200,
      ),
    )
    .addOption(number('--seed <n>', 'of the differences', 1, 1e9).default(1))
    .option('--json <R.json>', 'where to write the notes of each part')
    .action(async (path: string, o: PartsOptions) => (await import('./parts')).partsCommand(path, o));

  program
    .command('bundle')
    .description('makes a song of recordings, a track each')
    .argument('<IN.wav...>')
    .requiredOption('-o, --output <SONG.essim>', 'where to write the song')
    .option('--role <lead,double,...>', 'what each of them is: lead, double, harmony, part, backing')
    .option('--name <A,B,...>', 'what the tracks are called (default: as the files)')
    .addOption(number('--tempo <bpm>', 'beats a minute', 20, 400))
    .option('--key <key>', '"D major", "F# minor"')
    .addOption(number('--reference <Hz>', 'what A is tuned to', 400, 480).default(440))
    .action(async (paths: string[], o: BundleOptions) => (await import('./bundle')).bundleCommand(paths, o));
  program
    .command('commands')
    .description('every command a recipe may name')
    .option('--json', 'as JSON')
    .action(async (o: CommandsOptions) => (await import('./commands')).commandsCommand(o));
  program
    .command('apply')
    .description('follows a recipe in songs')
    .argument('<RECIPE.json>')
    .argument('<SONG.essim...>')
    .requiredOption('-o, --output <SONG.essim|DIR>', 'where to write the result; with several songs a folder')
    .addOption(number('--jobs <n>', 'songs at once, each in a process of its own', 1, 64).default(1))
    .action(async (recipe: string, songs: string[], o: ApplyOptions) =>
      (await import('./apply')).applyCommand(recipe, songs, o),
    );
  program
    .command('apply-in-turn', { hidden: true })
    .argument('<RECIPE.json>')
    .action(async (recipe: string) => (await import('./apply')).applyInTurn(recipe));
  program
    .command('export')
    .description('writes what a song sounds like, from the same zero and equally long, or its notes')
    .argument('<SONG.essim>')
    .requiredOption('-o, --output <DIR>', 'the folder to write to')
    .addOption(
      new Option('--what <what>', 'what is written')
        .choices(['stems', 'mix', 'track', 'midi', 'line', 'musicxml', 'practice', 'report'])
        .default('stems'),
    )
    .option('--track <NAME>', 'which track')
    .addOption(new Option('--format <format>', 'how').choices(['wav', 'flac']).default('wav'))
    .addOption(new Option('--bits <bits>', 'depth; 32 is floating point').choices(['16', '24', '32']).default('24'))
    .addOption(number('--from <s>', 'from when on', 0, 86400))
    .addOption(number('--to <s>', 'until when', 0, 86400))
    .option('--no-bends', 'MIDI: on the steps, not bent to what is heard')
    .option('--even-velocities', 'MIDI: every note as loud as the next')
    .action(async (song: string, o: ExportOptions) => (await import('./export')).exportCommand(song, o));
  program
    .command('show')
    .description('what the desks show of a song, as numbers')
    .argument('<SONG.essim>')
    .requiredOption('--json <OUT.json>', 'where to write it')
    .option('--hints', 'add what wants a look')
    .option('--track <NAME>', 'of one track alone')
    .action(async (song: string, o: ShowOptions) => (await import('./show')).showCommand(song, o));
  // every failure is one plain line
  program.commands.concat(program).forEach(c => c.exitOverride().configureOutput({ outputError: () => {} }));
  return program;
}

/** An interval downwards looks like an option; each is given as the value it is. */
function withIntervals(args: string[]): string[] {
  const out: string[] = [];
  let inPart = false;
  for (const a of args) {
    const interval: boolean = inPart && /^[+-]\d+[a-z]*$/i.test(a);
    if (a !== '--part') out.push(interval ? `--part=${a}` : a);
    inPart = a === '--part' || interval;
  }
  return out;
}

/** Runs a command. @param args as process.argv @returns what went wrong, in one line; null when nothing did */
export async function essim(args: string[]): Promise<string | null> {
  forgetInputs();
  try {
    await commands().parseAsync(withIntervals(args));
    return null;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? null : error.message.replace(/^error: /, '');
    return error instanceof Error ? error.message : String(error);
  }
}
