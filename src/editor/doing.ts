/** What commands do. */
import { dirname } from 'node:path';
import type { Connection } from 'vscode-languageserver';
import { addPackage, scriptsText } from '../hosts/node/packages.js';
import { sizesOf } from '../server/workbench/packages.js';
import { packageImports } from '../syntax/imports.js';
import { AnvilError } from '../syntax/problems.js';
import type { Abilities } from './abilities.js';
import { commands, type CommandArguments, type CommandName } from './commands.js';
import type { Desk } from './desk.js';
import type { Evaluated, NewPad } from './extra-messages.js';
import { type OpenFile, textOf } from './open-files.js';
import type { Seat } from './seat.js';

const LANGUAGES: Readonly<Record<string, string>> = {
  '.ts': 'typescript',
  '.mts': 'typescript',
  '.cts': 'typescript',
  '.tsx': 'typescriptreact',
  '.jsx': 'javascriptreact',
};

/** The name that editors have for the language of a file. */
export const languageOf = (extension: string): string => LANGUAGES[extension.toLowerCase()] ?? 'javascript';

export class Doing {
  constructor(
    private readonly connection: Connection,
    private readonly desk: Desk,
    private readonly abilities: Abilities,
    /** What is known of a file is new. */
    private readonly tell: (file: OpenFile) => void,
  ) {}

  /**
   * Does a command.
   *
   * @throws AnvilError `E_MESSAGE` for one that is none, or whose argument is not what it takes; `E_NOT_FOUND` for a
   * file that is not open
   */
  async do(name: string, argument: unknown): Promise<unknown> {
    if (!Object.hasOwn(commands, name))
      throw new AnvilError('E_MESSAGE', `There is no command ${name}. There are ${Object.keys(commands).join(', ')}.`);
    const read = commands[name as CommandName].safeParse(argument);
    if (!read.success) {
      const why = read.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ');
      throw new AnvilError('E_MESSAGE', `${name} was asked for with what it does not take: ${why}.`);
    }
    const file = this.desk.files.get(read.data.uri);
    if (!file) throw new AnvilError('E_NOT_FOUND', `${read.data.uri} is no program that is open here. Open it first.`);
    return (this.table[name as CommandName] as (file: OpenFile, given: unknown) => unknown)(file, read.data);
  }

  private readonly table: {
    [Name in CommandName]: (file: OpenFile, given: CommandArguments[Name]) => unknown;
  } = {
    'usher-anvil.run': (file) => this.desk.run(file),
    'usher-anvil.rest': (file) => this.desk.rest(file),
    'usher-anvil.stop': (file) => this.seat(file).send({ type: 'stop' }),
    'usher-anvil.when': (file, { when }) => this.seat(file).send({ type: 'when', when }),
    'usher-anvil.careful': (file, { on }) => this.seat(file).send({ type: 'careful', on }),
    'usher-anvil.test': (file, { path }) => this.desk.run(file, path),
    'usher-anvil.openGate': (file, { id }) => this.seat(file).send({ type: 'act', action: { do: 'open-gate', id } }),
    'usher-anvil.letThrough': (file, { name }) =>
      this.seat(file).send({ type: 'act', action: { do: 'let-through', ...(name === undefined ? {} : { name }) } }),
    'usher-anvil.drop': (file) => this.seat(file).send({ type: 'drop' }),
    'usher-anvil.look': async (file, { line }) => void (await this.seat(file).inspect(line)),
    'usher-anvil.evaluate': (file, { line, text }) => this.evaluate(file, line, text),
    'usher-anvil.shut': (file) => this.seat(file).send({ type: 'shut', file: this.seat(file).file }),
    'usher-anvil.apply': (file) => this.seat(file).apply(),
    'usher-anvil.undo': (file) => this.seat(file).send({ type: 'undo' }),
    'usher-anvil.runWaiting': (file, { line }) => {
      const seat = this.seat(file);
      seat.send({ type: 'waiting', file: seat.file, ...(line === undefined ? {} : { line }) });
    },
    'usher-anvil.try': (file, at) => this.try(file, at),
    'usher-anvil.sizes': (file) => this.sizes(file),
    'usher-anvil.add': (file, given) => this.add(file, given.package),
  };

  /** @throws AnvilError `E_CANNOT_TRY` where nothing runs the file */
  private seat(file: OpenFile): Seat {
    const seat = this.desk.seat(file.uri);
    if (!seat) throw new AnvilError('E_CANNOT_TRY', 'Nothing runs this file yet. Run it first.');
    return seat;
  }

  /** @throws AnvilError `E_CANNOT_TRY` for a pad, whose selected expressions show their values by themselves */
  private async evaluate(file: OpenFile, line: number, text: string | undefined): Promise<Evaluated> {
    const seat = this.seat(file);
    if (seat.bench.kind !== 'live')
      throw new AnvilError('E_CANNOT_TRY', 'Only a live program evaluates. In a pad, select what you want to see.');
    const answer = await seat.enter(line, text);
    if (!answer) throw new AnvilError('E_TARGET', 'The program did not answer.');
    const { entered } = answer;
    const told = { line: answer.line ?? line, failed: entered.is !== 'done' };
    if (entered.is === 'done') return { ...told, text: answer.text ?? (entered.changes || 'done') };
    if (entered.is === 'failed') return { ...told, text: [entered.text, ...entered.details].join('\n') };
    if (entered.is === 'wrong') return { ...told, text: entered.problems.map(({ message }) => message).join('\n') };
    return { ...told, text: 'This is not complete.' };
  }

  /** A pad that calls a function of the file, as a text without a file. */
  private async try(file: OpenFile, at: { line: number; character: number }): Promise<NewPad> {
    const { text, extension } = await this.desk.callingPad(file, at);
    return { text, languageId: languageOf(extension) };
  }

  private async sizes(file: OpenFile): Promise<void> {
    const text = textOf(file.document);
    if (packageImports(file.path, text).length === 0) {
      this.connection.window.showInformationMessage('This file imports no packages.');
      return;
    }
    await this.during('Bundling what is imported', async () => {
      const lines = text.split('\n');
      file.sizes = (await sizesOf(file.path, text)).map((one) => ({ ...one, of: lines[one.line]! }));
    });
    this.tell(file);
  }

  /** Tells that something takes a while. */
  private async during<T>(title: string, work: (report: (text: string) => void) => Promise<T>): Promise<T> {
    const progress = this.abilities.progress ? await this.connection.window.createWorkDoneProgress() : undefined;
    progress?.begin(title, undefined, undefined, false);
    try {
      return await work((text) => progress?.report(text));
    } finally {
      progress?.done();
    }
  }

  private async add(file: OpenFile, name: string): Promise<void> {
    const added = await this.during(`Adding ${name}`, (progress) =>
      addPackage(name, { folder: dirname(file.path), progress }),
    );
    const left = scriptsText(added.scripts).join('; ');
    this.connection.window.showInformationMessage(
      `${added.name} ${added.version} is there, in ${added.folder}.` +
        (left === '' ? '' : ` Scripts were not run: ${left}. The command add runs them with --scripts.`),
    );
    if (this.desk.isOn(file.path)) this.desk.run(file);
    else this.desk.seat(file.uri)?.send({ type: 'execute' });
  }
}
