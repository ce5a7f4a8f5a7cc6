#!/usr/bin/env node
/** The command line. Thin: each command is a file of its own. */
import { readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import { startEarly } from '../hosts/node/spawning.js';
import { AnvilError } from '../syntax/problems.js';
import { defineCompare } from './define-compare.js';
import { definePublish } from './define-publish.js';
import { defineEntries } from './define-entries.js';
import { defineHeld } from './define-held.js';

const { version } = JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')) as {
  version: string;
};

const RAIL_HELP = `
The rail left of the line numbers:
  ┊ never ran    ▏ ran once   ▎ 2-9 times   ▌ 10-99   █ 100 and more
  ╎ a part of the line never ran    ◤ failed here    │ on the way to the failure`;

function command(): Command {
  const program = new Command('usher-anvil')
    .description('A scratchpad that re-executes on every edit, and patches for programs that keep running.')
    .version(version)
    .exitOverride()
    .showHelpAfterError('(usher-anvil --help lists the commands)')
    .addHelpText(
      'after',
      '\nWithout a command, in a terminal: the workbench on this folder, at its start page.\n\nExamples:\n' +
        '  usher-anvil open              the same\n  usher-anvil new tests         a pad from a template\n' +
        '  usher-anvil run tolls.ts      one run, values beside the lines\n' +
        '  usher-anvil live chamber.ts   a program that takes changes while it runs',
    );
  for (const define of COMMANDS) define(program);
  return program;
}

function defineRun(program: Command): void {
  program
    .command('run')
    .argument('<pad>', 'file to execute: .ts .tsx .mts .cts .js .jsx .mjs .cjs; - for a text that is piped in')
    .argument('[args...]', 'arguments the pad finds in process.argv')
    .description('execute a pad once; print its lines with rail and values, then console, tests and errors')
    .option('--format <format>', 'text, json (usher-anvil/record@1), or of its tests tap (version 14) or junit', 'text')
    .option('--time-limit <time>', 'end the run after this long: 500, 10s, 2m', '10s')
    .option('--process', 'run on the main thread of a process of its own')
    .option('--careful', 'hold what changes something outside: writes, connections, requests, processes; see --open')
    .option('--keep-processes', 'what the pad has started goes on when its run ends')
    .option('--memory <mb>', 'heap limit of the pad in megabytes', '512')
    .option('--expand <levels>', 'open the values below their lines, so many levels deep')
    .option('--at <moment>', 'show everything as of a moment: <line>:<visit>, or the moment itself')
    .option('--input <file>', 'data that input of usher-anvil/pad reads; - for standard input')
    .option('--result', "print only the pad's default export, as text or JSON")
    .option(
      '--open <gate>',
      'open the gate of this name, or let this through in a careful run; may stand several times',
      (name: string, list: string[]) => [...list, name],
      [],
    )
    .option('--confirm', 'of tests: let the test framework of the project run them as well, and say where it differs')
    .option('--types', 'say as well what TypeScript has to say of the types')
    .option('--sizes', 'say what imported packages cost when they are bundled and minified')
    .option('--width <columns>', 'width of the listing; the window by default, 120 in a pipe')
    .addHelpText(
      'after',
      `${RAIL_HELP}\n\nExit code: 0 it ran, 1 the pad failed, 2 wrong usage.\n\nExamples:\n` +
        '  usher-anvil run tolls.ts\n  usher-anvil run tolls.ts --format json > record.json\n' +
        '  usher-anvil run tolls.ts --format tap\n  usher-anvil run keeper.ts --process < answers.txt\n' +
        '  usher-anvil run passages.ts --input passages.log --result\n  usher-anvil run ledger.ts --open "charge the ledger"\n  usher-anvil run tolls.ts --expand 2\n  usher-anvil run tolls.ts --at 18:4        every value as it was on the fourth visit of line 18',
    )
    .action(async (pad: string, args: string[], options) => {
      process.exitCode = await (await import('./execute.js')).runCommand(pad, args, options);
    });
}

function defineWatch(program: Command): void {
  program
    .command('watch')
    .argument('<pad>', 'file to execute, a folder of tests, or a live program by name or address')
    .description(
      'the listing of a pad, redrawn at each save; the tests of a folder that a save can have touched; a file of a live program, as it runs',
    )
    .option('--process', 'run on the main thread of a process of its own')
    .option('--keep-processes', 'what the pad has started goes on when its run ends')
    .option('--in <file>', 'of a live program: the module; its first file by default')
    .option('--look <function>', 'of a live program: the function whose values are shown, by name or line')
    .option('--token <token>', 'for an address: what its door asks for; USHER_ANVIL_TOKEN by default')
    .addHelpText(
      'after',
      `${RAIL_HELP}\n\nKeys: arrows, page up and down scroll; q ends. In a pipe each run is printed plainly.\n` +
        'Of a live program functions are counted, with calls per second; f looks into the next function, c ' +
        'only counts. Of a folder the tests that fail stand first; a runs all of them.\n\nExamples:\n  usher-anvil watch tolls.ts\n  usher-anvil watch src\n  usher-anvil watch chamber --look fill',
    )
    .action(async (pad: string, options) => {
      process.exitCode = await (await import('./watch.js')).watchCommand(pad, options);
    });
}

function defineCoverage(program: Command): void {
  program
    .command('coverage')
    .argument('[folder]', 'folder of a project', '.')
    .description('run the tests of a folder: which lines they reach, and which tests reach a line')
    .option('--lcov <file>', 'write the figures of all lines to a file, as LCOV')
    .option('--at <file:line>', 'the tests that reach this line')
    .addHelpText(
      'after',
      '\nExit code: 0 all tests passed, 1 some failed, 2 wrong usage.\n\nExamples:\n' +
        '  usher-anvil coverage src --lcov lcov.info\n  usher-anvil coverage --at src/gate.ts:14',
    )
    .action(async (folder: string, options) => {
      process.exitCode = await (await import('./coverage.js')).coverageCommand(folder, options);
    });
}

function defineOpen(program: Command): void {
  program
    .command('open')
    .argument('[path]', 'a pad, also one that is to be made, a folder, or a live program by name or address', '.')
    .description('start the workbench and print its address')
    .option('--port <port>', 'port on 127.0.0.1; by default the one of the last time, or a free one')
    .option('--careful', 'hold what changes something outside of the pad until it is let through')
    .option('--keep-processes', 'what the pad has started goes on when its run ends')
    .option('--token <token>', 'for an address: what its door asks for; USHER_ANVIL_TOKEN by default')
    .addHelpText(
      'after',
      '\nThe workbench listens on 127.0.0.1 only and asks for the token in its address.\n\nExamples:\n' +
        '  usher-anvil open\n  usher-anvil open examples/tolls/tolls.ts --port 4180\n' +
        '  usher-anvil open chamber       the live program of that name: its files, what they do, its prompt',
    )
    .action(async (path: string, options) => {
      process.exitCode = await (await import('./open.js')).openCommand(path, options);
    });
}

function defineLive(program: Command): void {
  program
    .command('live')
    .argument('<entry>', 'first file of the program, or the name of one that is live; behind -- a command')
    .argument('[args...]', 'arguments of the program')
    .description('start a program that takes changes at every save while it keeps running, or follow one')
    .option('--name <name>', 'what other commands call it; the name of its first file by default')
    .option('--listen [port]', 'be reached on a port of 127.0.0.1 instead of a local socket; prints address and token')
    .option('--memory <mb>', 'heap limit of the program in megabytes')
    .option('--hold [auto]', 'calls that fail wait until they are mended; with auto they go on by themselves then')
    .option('--hold-limit <seconds>', 'how long they wait at most; 600 by default, 0 for no limit')
    .option('--pause', 'stand still at the first statement')
    .addHelpText(
      'after',
      '\nAt each save one line says what was done: functions patched, names added, and what could not be ' +
        'changed.\n\nExamples:\n  usher-anvil live chamber.ts\n  usher-anvil live lock-house.ts -- --port 8080\n' +
        '  usher-anvil live chamber       follows the program of that name\n' +
        '  usher-anvil live -- npm run dev    whatever a project is started by: servers, and pages of a development server',
    )
    .action(async (entry: string, args: string[], options) => {
      const { isCommand, liveOfCommand } = await import('./live-of-command.js');
      process.exitCode = isCommand(process.argv, entry, args)
        ? await liveOfCommand(entry, args, options)
        : await (await import('./live.js')).liveCommand(entry, args, options);
    });
}

function defineTargets(program: Command): void {
  program
    .command('targets')
    .description('list the live programs of yours, and whether those elsewhere that were joined answer')
    .option('--json', 'as JSON (usher-anvil/targets@1), without tokens')
    .option('--forget <address>', 'an address that is to be remembered no longer')
    .addHelpText('after', '\nExample:\n  usher-anvil targets')
    .action(async (options) => {
      process.exitCode = await (await import('./targets.js')).targetsCommand(options);
    });
}

function definePrompt(program: Command): void {
  program
    .command('prompt')
    .argument('[target]', 'name or process id of a live program, or 127.0.0.1:port; the only one by default')
    .description('enter code inside a module of a live program')
    .option('--in <file>', 'the module; the first file of the program by default')
    .option('--token <token>', 'for an address: what its door asks for; USHER_ANVIL_TOKEN by default')
    .option('--evaluate <code>', 'evaluate once, print the value, and leave')
    .addHelpText(
      'after',
      '\nFunctions and classes of the module that are entered are patched; other declarations join it until ' +
        'it is executed\nagain. Each result has a number. Besides code it takes: open 2 (that result as a ' +
        'tree), in <file>, undo last,\nrun waiting, reset <name>, show names, hide output. Tab completes, ' +
        'Ctrl+D leaves; the program goes on.\n\nExamples:\n  usher-anvil prompt\n  usher-anvil prompt chamber --evaluate "level"\n  echo "level = 3" | usher-anvil prompt chamber',
    )
    .action(async (target: string | undefined, options) => {
      process.exitCode = await (await import('./prompt.js')).promptCommand(target, options);
    });
}

function defineNew(program: Command): void {
  program
    .command('new')
    .argument('[template]', 'what the pad begins with; an empty pad in TypeScript by default')
    .argument('[file]', 'where it is made; a name that is free here by default')
    .option('--list', 'say which templates there are, and make nothing')
    .option('--open', 'open the workbench on it')
    .description('make a pad in this folder, from a template')
    .addHelpText(
      'after',
      '\nTemplates are plain files. Those of a project are in .usher-anvil/templates, there or in a folder above; a\n' +
        'comment in the first line says what one is for.\n\nExamples:\n  usher-anvil new\n' +
        '  usher-anvil new tests tolls.ts\n  usher-anvil new locks.ts\n  usher-anvil new --list',
    )
    .action(async (template: string | undefined, file: string | undefined, options) => {
      process.exitCode = await (await import('./new.js')).newCommand(template, file, options);
    });
}

function defineAttach(program: Command): void {
  program
    .command('attach')
    .argument('<process>', 'process id, or host:port of an inspector that is open')
    .description('change bodies of functions in a Node process that was started without usher-anvil')
    .option('--evaluate <code>', 'evaluate an expression in the process, print its value, and let go')
    .addHelpText(
      'after',
      '\nA process id opens the inspector of that process with the signal USR1. What this way cannot do is ' +
        'said at its start.\n\nExamples:\n  usher-anvil attach 4711\n' +
        '  usher-anvil attach 127.0.0.1:9229 --evaluate "process.uptime()"',
    )
    .action(async (target: string, options) => {
      process.exitCode = await (await import('./attach.js')).attachCommand(target, options);
    });
}

function defineAdd(program: Command): void {
  program
    .command('add')
    .argument('<package>', 'name, and behind an @ a version: decimal.js, decimal.js@10')
    .description(
      'install a package for the pads of a folder, beside them in .usher-anvil; ' +
        "the project's own dependencies stay as they are",
    )
    .option('--for <pad>', 'the pad it is for; the current folder by default')
    .option('--project', 'into the dependencies of the nearest package.json')
    .option('--scripts', 'run what packages want to run when they are installed; without it, it is only listed')
    .addHelpText(
      'after',
      '\nExamples:\n  usher-anvil add decimal.js --for examples/tolls/tolls.ts\n  usher-anvil add decimal.js --project',
    )
    .action(async (name: string, options) => {
      process.exitCode = await (await import('./add.js')).addCommand(name, options);
    });
}

function defineExport(program: Command): void {
  program
    .command('export')
    .argument('<pad>', 'file to execute')
    .description('execute a pad and write one file that shows code and values together, readable without this tool')
    .option('--format <format>', 'html, md, svg, png or json', 'html')
    .option('--out <file>', "where to; the pad's name by default, - for standard output")
    .option('--input <file>', 'data that input of usher-anvil/pad reads; - for standard input')
    .option('--time-limit <time>', 'end the run after this long: 500, 10s, 2m', '10s')
    .addHelpText(
      'after',
      '\nPaths become relative, and the home folder and secrets of the environment are taken out.\n\nExamples:\n' +
        '  usher-anvil export tolls.ts\n  usher-anvil export tolls.ts --format png --out tolls.png',
    )
    .action(async (pad: string, options) => {
      process.exitCode = await (await import('./export.js')).exportCommand(pad, options);
    });
}

function defineDemo(program: Command): void {
  program
    .command('demo')
    .description('start the workbench on a copy of the demo pads of the Wenlow Canal')
    .option('--port <port>', 'port on 127.0.0.1; a free one by default')
    .option('--folder <folder>', 'where the copy goes; a new temporary folder by default')
    .addHelpText('after', '\nExample:\n  usher-anvil demo --folder wenlow')
    .action(async (options) => {
      process.exitCode = await (await import('./demo.js')).demoCommand(options);
    });
}

function defineWalk(program: Command): void {
  program
    .command('walk')
    .argument('<pad>', 'file to execute')
    .description('execute a pad once, and walk through what it did: from a failure backwards, with every variable')
    .option('--test <name>', 'begin at the failure, or the end, of this test')
    .option('--from <line:visit>', 'begin where this line ran, the nth time')
    .option('--format <format>', 'text, or json (usher-anvil/walk@1)', 'text')
    .option('--time-limit <time>', 'end the run after this long: 500, 10s, 2m', '10s')
    .addHelpText(
      'after',
      '\nKeys: right and left, into what is called and back; down and up, over it and back; o and O, out; l and L, the ' +
        'same line’s next and last time; e, x, f: entry and exit of the frame, the failure; q ends.\nIn a pipe the same ' +
        'as words, one a line: into, back over, set total, frames, quit.\n\nExit code: 0 it ran, 1 the pad failed.\n\n' +
        'Examples:\n  usher-anvil walk tolls.ts\n  echo "back over" | usher-anvil walk tolls.ts --from 35:2',
    )
    .action(async (pad: string, options) => {
      process.exitCode = await (await import('./walk.js')).walkCommand(pad, options);
    });
}

function defineLsp(program: Command): void {
  program
    .command('lsp')
    .option('--stdio', 'standard input and output, as without it')
    .description(
      'serve an editor by the Language Server Protocol: values, errors and tests beside the code it has open',
    )
    .addHelpText('after', '\nAn editor starts it. What each needs to be told is in docs/editors.md.')
    .action(async () => {
      if (process.stdin.isTTY)
        throw new AnvilError(
          'E_OPTION',
          'lsp is started by an editor, which speaks with it over standard input and output. See docs/editors.md.',
        );
      // Pads and what they have started are ended by then.
      process.exit(await (await import('./lsp.js')).lspCommand(version));
    });
}

function defineDap(program: Command): void {
  program
    .command('dap')
    .option('--port <port>', 'serve clients at this port of this machine, in place of standard input and output')
    .option('--token <token>', 'with --port: a launch has to bring this as its token')
    .description('serve a client of the Debug Adapter Protocol: walk through runs of pads, in both directions')
    .addHelpText('after', '\nAn editor starts it. What each needs to be told is in docs/editors.md.')
    .action(async (options: { port?: string; token?: string }) => {
      if (options.port === undefined && process.stdin.isTTY)
        throw new AnvilError(
          'E_OPTION',
          'dap is started by an editor, which speaks with it over standard input and output; or give --port. See docs/editors.md.',
        );
      process.exit(await (await import('./dap.js')).dapCommand(options));
    });
}

/** In the order of the help. What a command needs is loaded when it is called. */
const COMMANDS = [
  defineRun,
  defineWatch,
  defineCoverage,
  defineWalk,
  defineCompare,
  definePublish,
  defineOpen,
  defineLsp,
  defineDap,
  defineNew,
  defineLive,
  defineTargets,
  definePrompt,
  defineHeld,
  defineEntries,
  defineAttach,
  defineAdd,
  defineExport,
  defineDemo,
];

/** A run needs a process of its own: it starts while the rest is loaded. */
function prepareRun([command, ...rest]: readonly string[]): void {
  if (command === 'run' && !rest.some((one) => /^(--process|--memory|--help|-h)/.test(one)) && rest.length > 0)
    startEarly(rest.includes('--careful'));
}

/** Whoever reads what is printed may leave first. What goes on by itself goes on. */
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
  if (!['open', 'live', 'demo'].includes(process.argv[2] ?? 'open')) process.exit();
});

try {
  prepareRun(process.argv.slice(2));
  const alone = process.argv.length === 2 && process.stdin.isTTY && process.stdout.isTTY;
  await command().parseAsync(alone ? [...process.argv, 'open'] : process.argv);
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2;
  else if (error instanceof AnvilError) {
    process.stderr.write(`usher-anvil: ${error.code}  ${error.message}\n`);
    process.exitCode = 2;
  } else throw error;
}
