/**
 * What a test can reach, as its text tells: the code that takes part in it,
 * and whether that code changes or asks anything outside. Always on the safe
 * side: what is not known to be harmless counts as harm.
 */
import type { Node } from './node.js';
import type { Outline } from './outline.js';
import { type Facts, HARMLESS, calledAt, factsOf, ownMembers } from './reach-facts.js';
import { testNamesOf } from './tests.js';

interface Statement {
  file: string;
  text: string;
  declares: string[];
  facts: Facts;
  /** A call of `test`, `describe` and the like. */
  test: Node | undefined;
  hook: boolean;
  kind: string;
}

export interface ReachFile {
  file: string;
  outline: Outline;
  /** The local file that a specifier means; undefined for packages and builtins. */
  local(specifier: string): string | undefined;
}

export interface ReachedTest {
  file: string;
  /** Offset of the call that declares it. */
  start: number;
  /** What has to be the same for its last result to hold; undefined where that cannot be told. */
  key: string | undefined;
}

/** The tests at the top level of some files, each with what its result depends on. */
export function reachedTests(files: readonly ReachFile[]): ReachedTest[] {
  const own = new Set<string>();
  for (const { outline } of files) for (const name of memberNames(outline)) own.add(name);
  const shared = [...own].sort().join(' ');
  const programs = new Map(files.map((one) => [one.file, factsOfFile(one, own, shared)]));
  const found: ReachedTest[] = [];
  for (const program of programs.values())
    for (const statement of program.statements)
      if (statement.test)
        found.push({ file: program.file, start: statement.test.start, key: keyOf(statement, program, programs) });
  return found;
}

function keyOf(test: Statement, home: FileFacts, programs: ReadonlyMap<string, FileFacts>): string | undefined {
  const parts = new Set<Statement>([test]);
  const open: { statement: Statement; in: FileFacts; tests: boolean }[] = [{ statement: test, in: home, tests: true }];
  const names = new Set<string>();
  for (const program of programs.values())
    for (const hook of program.hooks) {
      parts.add(hook);
      open.push({ statement: hook, in: program, tests: true });
    }
  const take = (statement: Statement, program: FileFacts, own: boolean): void => {
    if (parts.has(statement)) return;
    parts.add(statement);
    open.push({ statement, in: program, tests: own });
  };
  const members = new Set<string>();
  while (open.length > 0) {
    const { statement, in: program, tests } = open.pop()!;
    const { facts } = statement;
    if (facts.world) return undefined;
    // What the test itself runs must not change anything that others see; what others change is part of the key, with
    // those that call for it.
    if (tests && (facts.mutates || facts.prints)) return undefined;
    if (facts.mutates)
      for (const name of statement.declares)
        for (const each of program.mentioning.get(name) ?? []) take(each, program, false);
    for (const name of facts.names) {
      const id = `${program.file}\n${name}`;
      if (names.has(id)) continue;
      names.add(id);
      const entry = program.imports.get(name);
      if (entry) {
        const target = programs.get(entry.file);
        if (!target) return undefined;
        for (const each of target.statements) {
          // Who else calls what changes a module's state is not followed over files.
          if (each.facts.mutates) return undefined;
          if (each.test === undefined) take(each, target, each.declares.length > 0 && tests);
        }
        continue;
      }
      for (const each of program.declaring.get(name) ?? []) take(each, program, tests);
      for (const each of program.mutating.get(name) ?? []) if (each !== test) take(each, program, false);
    }
    for (const member of facts.members) {
      if (members.has(member)) continue;
      members.add(member);
      // A method of that name, wherever it is written.
      for (const other of programs.values())
        for (const each of other.withMember.get(member) ?? []) take(each, other, tests);
    }
  }
  return [...parts].map((part) => `${part.file}\n${part.text}`).join('\n\u0000\n');
}

export const known = new WeakMap<Outline, { shared: string; facts: FileFacts }>();

/** The facts of a file stay while its text does, and the names of methods in the program. */
function factsOfFile(file: ReachFile, own: ReadonlySet<string>, shared: string): FileFacts {
  const links = file.outline.imports.map((entry) => file.local(entry.specifier) ?? '').join('\n');
  const before = known.get(file.outline);
  if (before && before.shared === shared + links) return before.facts;
  const facts = new FileFacts(file, own);
  known.set(file.outline, { shared: shared + links, facts });
  return facts;
}

class FileFacts {
  readonly file: string;
  readonly statements: Statement[] = [];
  readonly hooks: Statement[] = [];
  readonly declaring = new Map<string, Statement[]>();
  readonly mutating = new Map<string, Statement[]>();
  readonly mentioning = new Map<string, Statement[]>();
  readonly withMember = new Map<string, Statement[]>();
  readonly imports = new Map<string, { file: string; imported: string }>();

  constructor({ file, outline, local }: ReachFile, own: ReadonlySet<string>) {
    this.file = file;
    const { text } = outline.parsed;
    const testing = testNamesOf(outline);
    const hooks = new Set<string>();
    const harmless = new Set(HARMLESS);
    const asserting = new Set<string>();
    for (const entry of outline.imports) {
      if (entry.typeOnly) continue;
      const target = local(entry.specifier);
      for (const { local: name, imported } of entry.names) {
        // Data: its text is part of every key.
        if (/\.json$/i.test(entry.specifier)) harmless.add(name);
        else if (entry.specifier === 'node:test') {
          harmless.add(name);
          if (/^(before|after)(Each)?$/.test(imported)) hooks.add(name);
        } else if (/^(node:)?assert(\/strict)?$/.test(entry.specifier)) {
          harmless.add(name);
          asserting.add(name);
        } else if (target !== undefined) this.imports.set(name, { file: target, imported });
      }
    }
    for (const { node, start, end, names, kind } of outline.statements) {
      if (kind === 'import' || kind === 'type') continue;
      const call = calledAt(node);
      const callee = call && (call.callee.type === 'MemberExpression' ? call.callee.object : call.callee);
      const name = callee?.type === 'Identifier' ? (callee.name as string) : '';
      const statement: Statement = {
        file,
        text: text.slice(start, end),
        declares: names,
        facts: factsOf(node, { harmless, asserting, testing, own, top: outline.topLevel, imports: this.imports }),
        test: testing.has(name) ? call : undefined,
        hook: hooks.has(name),
        kind,
      };
      this.statements.push(statement);
      if (statement.hook) this.hooks.push(statement);
      for (const declared of names) add(this.declaring, declared, statement);
      for (const used of statement.facts.names) {
        if (statement.facts.mutates) add(this.mutating, used, statement);
        add(this.mentioning, used, statement);
      }
      for (const member of ownMembers(node)) add(this.withMember, member, statement);
    }
  }
}

export function add(map: Map<string, Statement[]>, key: string, statement: Statement): void {
  const list = map.get(key);
  if (list) list.push(statement);
  else map.set(key, [statement]);
}

/** Names of methods and accessors that a file writes itself. */
function memberNames(outline: Outline): Set<string> {
  const before = memberCache.get(outline);
  if (before) return before;
  const names = new Set<string>();
  for (const { node } of outline.statements) for (const name of ownMembers(node)) names.add(name);
  memberCache.set(outline, names);
  return names;
}

const memberCache = new WeakMap<Outline, Set<string>>();
