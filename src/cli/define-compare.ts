/** The options of `usher-anvil compare`. */
import type { Command } from 'commander';

export function defineCompare(program: Command): void {
  program
    .command('compare')
    .argument('<first>', 'file whose default export is the first way, and which exports what both are called with')
    .argument('[second]', 'file whose default export is the second way')
    .description('two ways to do something: whether they give the same, which is faster, and how sure that is')
    .option('--export <name>', 'the functions in place of default exports: one of both files, or first,second of one')
    .option('--against <revision>', 'compare a file with itself as of a revision: HEAD, a tag, a commit')
    .option('--time <time>', 'for the times, at most: 10s, 3m; 0 for none', '20s')
    .option('--inputs <number>', 'inputs that are generated, at most; 20000 by default')
    .option('--format <format>', 'text, json (usher-anvil/comparison@1), or html, a page that stands alone', 'text')
    .addHelpText(
      'after',
      '\nThe first file exports data: what each is called with, or a function that makes it fresh for each call. ' +
        'Where it exports inputs (a list) or generate(random), both are asked for the same with those too; with ' +
        'sized(n) the times are taken at growing sizes.\n\nExit code: 0 both give the same, 1 they differ, 2 wrong ' +
        'usage.\n\nExamples:\n  usher-anvil compare planner.ts --export byList,byHeap\n' +
        '  usher-anvil compare toll.ts --against HEAD --time 1m\n  usher-anvil compare old.ts new.ts --format json',
    )
    .action(async (first: string, second: string | undefined, options) => {
      process.exitCode = await (await import('./compare.js')).compareCommand(first, second, options);
    });
}
