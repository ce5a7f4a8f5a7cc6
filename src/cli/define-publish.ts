/** The options of `usher-anvil publish`. */
import type { Command } from 'commander';

export function definePublish(program: Command): void {
  program
    .command('publish')
    .argument('<pads...>', 'files to execute and to publish')
    .description(
      'write a pad as one HTML file in which it is alive: a reader changes it and watches, with nothing installed',
    )
    .option('--out <file>', "where to; the pad's name with .html by default")
    .option('--folder <folder>', 'a folder for any static server in place of one file')
    .option('--allow <address...>', 'what the pad may reach from there; nothing by default')
    .option('--runs', 'it runs as soon as it is opened; otherwise once its reader says so')
    .option('--time-limit <time>', 'end the run after this long: 500, 10s, 2m', '10s')
    .addHelpText(
      'after',
      '\nThe page holds the files that take part, their data, their packages, and what the last run looked like.\n\n' +
        'Examples:\n  usher-anvil publish tolls.ts\n  usher-anvil publish tolls.ts passages.ts --folder site\n' +
        '  usher-anvil publish query.ts --allow https://wenlow.example',
    )
    .action(async (pads: string[], options) => {
      process.exitCode = await (await import('./publish.js')).publishCommand(pads, options);
    });
}
