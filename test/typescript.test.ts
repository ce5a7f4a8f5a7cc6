import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import ts from 'typescript';
import { runPad } from 'usher-anvil';
import { cli, folder, inTurn } from './harness.js';
import { groups, type Group } from './typescript-cases.js';

const sources = new Map<string, ts.SourceFile | undefined>();
const library = join(createRequire(import.meta.url).resolve('typescript'), '..');

/** Compiles a project as `tsc` does, with the files of the language's library read once. */
function compile(dir: string, files: string[], options: ts.CompilerOptions): void {
  const host = ts.createCompilerHost(options);
  const read = host.getSourceFile.bind(host);
  host.getSourceFile = (name, ...rest) => {
    if (!name.startsWith(library)) return read(name, ...rest);
    if (!sources.has(name)) sources.set(name, read(name, ...rest));
    return sources.get(name);
  };
  ts.createProgram(files, options, host).emit();
  writeFileSync(join(dir, 'out', 'package.json'), readFileSync(join(dir, 'package.json')));
}

/** A project on the disk, its programs by name, and the one that runs them all. */
function project(group: Group): { dir: string; main: string; count: number } {
  const extension = group.tsx ? 'tsx' : 'ts';
  const programs = Object.entries(group.programs);
  const dir = folder({
    'package.json': JSON.stringify({ type: group.type }),
    'tsconfig.json': JSON.stringify({
      compilerOptions: {
        ...group.options,
        moduleResolution: group.options.module === 'nodenext' ? 'nodenext' : 'node10',
        outDir: 'out',
        noEmitOnError: false,
        skipLibCheck: true,
        types: [],
      },
    }),
    ...group.beside,
    'box.ts': "class Box { constructor(public n: number) {} static kind = 'box' }\nexport = Box;\n",
    ...Object.fromEntries(programs.map(([, text], index) => [`program-${index}.${extension}`, `${text}\n`])),
  });
  const main = join(dir, `main.${extension}`);
  const load = (index: number): string =>
    group.type === 'module' ? `await import('./program-${index}.js');` : `require('./program-${index}');`;
  writeFileSync(
    main,
    `declare const require: any;\n${programs.map(([name], index) => `console.log(${JSON.stringify(`# ${name}`)});\ntry { ${load(index)} } catch (e: any) { console.log('threw', e.message) }`).join('\n')}\nexport {};\n`,
  );
  return { dir, main, count: programs.length };
}

/** What each program printed. */
function byProgram(lines: string[]): string[] {
  return lines.join('\n').split(/^# /m).slice(1);
}

describe.each(inTurn(groups, 2))('$name', (group) => {
  const { dir, main, count } = project(group);
  let expected: string[] = [];

  beforeAll(() => {
    const { options } = ts.parseJsonConfigFileContent(
      ts.readConfigFile(join(dir, 'tsconfig.json'), (path) => readFileSync(path, 'utf8')).config,
      ts.sys,
      dir,
    );
    compile(
      dir,
      [main, ...Object.keys(group.programs).map((_, index) => main.replace('main', `program-${index}`))],
      options,
    );
    const { stdout, stderr } = spawnSync(process.execPath, ['--no-warnings', join(dir, 'out/main.js')], {
      encoding: 'utf8',
      env: { ...process.env, NODE_OPTIONS: '' },
    });
    expected = byProgram(stdout.split('\n'));
    if (expected.length !== count) throw new Error(stderr);
  });

  test('as a pad', async () => {
    const record = await runPad({ file: main });
    const printed = byProgram(record.console.map((entry) => entry.text));
    expect(printed.map((text) => text.trim())).toEqual(expected.map((text) => text.trim()));
    expect(record.errors.map((error) => error.message)).toEqual([]);
  });

  test('as a live program', () => {
    const { stdout, stderr } = cli(['live', main], { cwd: dir });
    expect(stderr).toBe('');
    expect(byProgram(stdout.split('\n'))).toEqual(expected);
  });
});

test('there are at least sixty programs', () => {
  expect(groups.reduce((sum, group) => sum + Object.keys(group.programs).length, 0)).toBeGreaterThanOrEqual(60);
});
