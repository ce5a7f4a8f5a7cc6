/**
 * Scripts that keep a framework loaded and run one file when they are told to. Each takes messages `{ id, file, texts,
 * changed }` over its channel: unsaved texts by file, and files whose texts may differ since the last time; and answers
 * `{ id, results }` or `{ id, problem }`. It ends when the channel closes.
 */

const FRAME = `
process.on('disconnect', () => process.exit(0))
let last = Promise.resolve()
process.on('message', ({ id, ...asked }) => {
  last = last.then(async () => {
    try {
      process.send({ id, results: await runFile(asked) })
    } catch (error) {
      process.send({ id, problem: String(error?.message ?? error) })
    }
  })
})
`;

/** Arguments: the address of `vitest/node`, options. */
export const WARM_VITEST = `
const [address, ...options] = process.argv.slice(1)
const given = await import(address)
let texts = new Map()
const unsaved = {
  name: 'usher-anvil-unsaved',
  enforce: 'pre',
  load (id) { return texts.get(id.split('?')[0]) }
}
const chosen = given.parseCLI ? given.parseCLI(['vitest', ...options]).options : {}
const vitest = await given.createVitest('test', {
  ...chosen, watch: true, ui: false, open: false, coverage: { enabled: false }, typecheck: { enabled: false },
  reporters: [{ onInit () {} }], update: false, passWithNoTests: true
}, { plugins: [unsaved], server: { watch: null } })
let isStarted = false
const forget = file => {
  const servers = [vitest.vite ?? vitest.server, ...(vitest.projects ?? []).map(one => one.vite ?? one.server)]
  for (const server of new Set(servers.filter(Boolean))) {
    const graphs = server.environments ? Object.values(server.environments).map(one => one.moduleGraph) : [server.moduleGraph]
    for (const graph of graphs.filter(Boolean)) {
      for (const module of graph.getModulesByFile(file) ?? []) graph.invalidateModule(module)
      graph.onFileChange?.(file)
    }
  }
  vitest.invalidateFile?.(file)
}
const listed = (tasks, path, into) => {
  for (const task of tasks ?? []) {
    if (task.type === 'suite') { listed(task.tasks, [...path, task.name], into); continue }
    const state = task.result?.state
    const [error] = task.result?.errors ?? []
    into.push({
      path, name: task.name, durationMs: task.result?.duration ?? 0,
      state: task.mode === 'todo' ? 'todo' : state === 'pass' ? 'passed' : state === 'fail' ? 'failed' : 'skipped',
      ...(state === 'fail' ? { message: String(error?.message ?? 'it failed') } : {})
    })
  }
  return into
}
async function runFile ({ file, texts: now, changed }) {
  texts = new Map(now)
  for (const one of changed) forget(one)
  if (!isStarted) { isStarted = true; await vitest.start([file]) }
  else if (vitest.runTestSpecifications) await vitest.runTestSpecifications(vitest.getModuleSpecifications(file))
  else await vitest.rerunFiles([file])
  const own = vitest.state.getFiles().filter(one => one.filepath === file)
  const broken = own.find(one => one.result?.state === 'fail' && one.tasks.length === 0)
  if (broken) throw new Error(broken.result.errors?.[0]?.message ?? 'it could not be loaded')
  return own.flatMap(one => listed(one.tasks, [], []))
}
${FRAME}`;

/** Arguments: the file of Jest's command, options. */
export const WARM_JEST = `
const { createRequire } = require('node:module')
const fs = require('node:fs')
let texts = new Map()
const { readFileSync, statSync } = fs
// Jest reads all it translates by this; what is not saved is what counts.
fs.readFileSync = function (file, options) {
  const text = typeof file === 'string' ? texts.get(file) : undefined
  if (text === undefined) return readFileSync.apply(this, arguments)
  const encoding = typeof options === 'string' ? options : options?.encoding
  return encoding ? text : Buffer.from(text)
}
// What it has translated it knows by the time at which a file was written.
let round = 0
fs.statSync = function (file) {
  const stat = statSync.apply(this, arguments)
  if (stat && typeof file === 'string' && texts.has(file)) {
    const at = Number(stat.mtimeMs) + ++round * 1000
    if (typeof stat.mtimeMs === 'number') stat.mtimeMs = at
    stat.mtime = new Date(at)
  }
  return stat
}
const [command, ...options] = process.argv.slice(1)
const fromCommand = createRequire(command)
const cli = createRequire(fromCommand.resolve('jest-cli'))
const { runCLI } = cli('@jest/core')
const { buildArgv } = (() => { try { return cli('jest-cli') } catch { return {} } })()
const sent = process.send.bind(process)
const print = process.stderr.write
async function runFile ({ file, texts: now }) {
  texts = new Map(now)
  const argv = buildArgv ? await buildArgv([...options, '--runTestsByPath', file]) : { $0: 'jest', _: [file] }
  process.stderr.write = () => true
  try {
    const { results } = await runCLI({
      ...argv, _: [file], runTestsByPath: true, runInBand: true, ci: true, coverage: false, watch: false, watchAll: false,
      passWithNoTests: true, reporters: [], silent: true, watchman: false
    }, [process.cwd()])
    const own = results.testResults.filter(one => one.testFilePath === file)
    const broken = own.find(one => one.testExecError)
    if (broken) throw new Error(broken.testExecError.message)
    return own.flatMap(one => one.testResults.map(test => ({
      path: test.ancestorTitles, name: test.title, durationMs: Math.max(0, test.duration ?? 0),
      state: test.status === 'passed' || test.status === 'failed' || test.status === 'todo' ? test.status : 'skipped',
      ...(test.failureMessages[0] === undefined ? {} : { message: test.failureMessages[0] })
    })))
  } finally {
    process.stderr.write = print
  }
}
${FRAME.replaceAll('process.send(', 'sent(')}`;
