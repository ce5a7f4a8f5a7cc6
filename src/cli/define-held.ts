/** The command `held` and its help. */
import type { Command } from 'commander';
import type { HeldOptions } from './held.js';

export function defineHeld(program: Command): void {
  program
    .command('held')
    .argument('[target]', 'name of a live program, or an address; with one alone it can be left out')
    .argument('[action]', 'what to do; without one, what is held is listed')
    .argument('[given...]', 'what that takes')
    .description('calls that failed and wait to be mended, breakpoints, and what stands still: list, and act')
    .option('--when <expression>', 'of a breakpoint: only where this is true')
    .option('--every <times>', 'of a breakpoint: only every so many times')
    .option('--after <times>', 'of a breakpoint: not before it was met so many times')
    .option('--print <text>', 'of a breakpoint: print this and go on; {expressions} in braces')
    .option('--entry', 'of a breakpoint: where the function begins')
    .option('--return', 'of a breakpoint: where the function gives a value')
    .option('--frame <number>', 'of what stands still: a frame, 0 for the innermost', '0')
    .option('--where <place>', 'a thread, process or page; the program itself by default')
    .option('--limit <seconds>', 'how long calls are held at most; 0 for no limit')
    .option('--token <token>', 'of a program at an address')
    .option('--json', 'the list as JSON (usher-anvil/held@1)')
    .addHelpText(
      'after',
      '\nHeld calls: on, auto, off; go, give, fail, drop and write with the number of a call.\n' +
        'Breakpoints: at <file>:<line>, field <object>.<field>, clear <number>, errors all|uncaught|none.\n' +
        'What stands still: stop, continue, over, into, out, to <line>, again, frame, value <expression>.\n\n' +
        'Examples:\n  usher-anvil held\n  usher-anvil held lock-house go 3\n' +
        '  usher-anvil held lock-house at rules.ts:24 --when "barge.tonnes > 20"\n' +
        '  usher-anvil held lock-house value "barge.cargo"',
    )
    .action(async (target: string | undefined, action: string | undefined, given: string[], options: HeldOptions) => {
      process.exitCode = await (await import('./held.js')).heldCommand(target, action, given, options);
    });
}
