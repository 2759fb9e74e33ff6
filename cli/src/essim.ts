import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import { alignCommand } from './align';
import { partsCommand } from './parts';
import { readCommand } from './read';
import { renderCommand } from './render';
import { tuneCommand } from './tune';

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
    .description('Reads, renders and tunes recorded voices.')
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
    .action(readCommand);

  program
    .command('render')
    .description('moves pitch, formants or length of a take')
    .argument('<IN.wav>')
    .requiredOption('-o, --output <OUT.wav>', 'where to write the result')
    .addOption(number('--semitones <n>', 'pitch, formants kept', -24, 24).default(0))
    .addOption(number('--formant <n>', 'formants alone, semitones', -12, 12).default(0))
    .addOption(number('--stretch <factor>', 'length', 0.25, 4).default(1))
    .action(renderCommand);

  program
    .command('tune')
    .description('puts the notes of a take on the steps of a key')
    .argument('<IN.wav>')
    .requiredOption('-o, --output <OUT.wav>', 'where to write the result')
    .option('--key <key>', '"D major", "F# minor" or auto', 'auto')
    .option('--scale <FILE.scl>', 'steps from a Scala tuning file')
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
    .action(tuneCommand);

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
    .action(alignCommand);

  program
    .command('parts')
    .description('makes harmonies from a lead, one file a part')
    .argument('<LEAD.wav>')
    .requiredOption('-o, --output <DIR>', 'the folder to write the parts to')
    .requiredOption('--key <key>', '"D major", "F# minor"')
    .option('--part <interval...>', '+3rd, -6th, +8ve or +4st')
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
    .action(partsCommand);

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
  try {
    await commands().parseAsync(withIntervals(args));
    return null;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? null : error.message.replace(/^error: /, '');
    return error instanceof Error ? error.message : String(error);
  }
}
