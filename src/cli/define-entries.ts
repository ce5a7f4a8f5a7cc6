/** The command `entries` and its help. */
import type { Command } from 'commander';
import type { EntriesOptions } from './entries.js';

export function defineEntries(program: Command): void {
  program
    .command('entries')
    .argument('[target]', 'name of a live program, or an address; with one alone it can be left out')
    .description('what comes into a live program: requests, events, timers, and the code that works for each')
    .option('--show <entry>', 'the pieces of code of one of them, with values, and its answer')
    .option('--url <path>', 'with --show: this address, not that of the last request')
    .option('--body <text>', 'with --show: this body')
    .option('--header <header...>', 'with --show: these headers, as "name: value"')
    .option('--ask', 'with --show: ask also what may change something')
    .option('--without <layer...>', 'with --show: leave these layers out')
    .option('--off', 'watch no longer')
    .option('--token <token>', 'of a program at an address')
    .option('--format <format>', 'text or json (usher-anvil/entries@1)', 'text')
    .addHelpText(
      'after',
      '\nWhat comes in is watched from the first call on, until --off. An entry whose method only reads is asked by\n' +
        'itself when it is shown; one that may change something when --ask says so.\n\n' +
        "Examples:\n  usher-anvil entries\n  usher-anvil entries lock-house --show 'GET /tolls/:id' --url /tolls/Heron\n" +
        "  usher-anvil entries --show 'GET /tolls' --without templates\n" +
        '  usher-anvil entries --show \'POST /queue\' --body \'{"name":"Otter"}\' --ask',
    )
    .action(async (target: string | undefined, options: EntriesOptions) => {
      process.exitCode = await (await import('./entries.js')).entriesCommand(target, options);
    });
}
