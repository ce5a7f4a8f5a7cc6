/**
 * Scripts that ask a test framework for a project's settings, in a process of their own: the framework finds them,
 * executes them, and fills in what they leave out. Each writes JSON to the file that is its first argument.
 */

/** Arguments: where the answer goes, the address of `vitest/node`, the test file, options. */
export const VITEST_SETTINGS = `
import { writeFileSync } from 'node:fs'
const [answer, address, file, ...options] = process.argv.slice(1)
const vitest = await import(address)
const given = vitest.parseCLI ? vitest.parseCLI(['vitest', ...options]).options : {}
const made = await vitest.createVitest('test', { ...given, watch: false, run: true, ui: false, coverage: { enabled: false }, typecheck: { enabled: false } })
const all = made.projects?.length ? made.projects : [made.getCoreWorkspaceProject?.() ?? made.getRootProject()]
const takes = project => {
  try { return (project.matchesTestGlob ?? project.isTestFile)?.call(project, file) === true } catch { return false }
}
const project = all.find(takes) ?? all.find(one => file.startsWith(one.config.root + '/')) ?? all[0]
const server = project.vite ?? project.server ?? made.vite ?? made.server
const config = project.serializedConfig ?? project.getSerializableConfig?.() ?? project.config
const { setupFiles, globalSetup, environment, environmentOptions, environmentMatchGlobs, browser } = project.config
writeFileSync(answer, JSON.stringify({
  config,
  environment: environmentMatchGlobs?.length ? 'environmentMatchGlobs' : environment,
  environmentOptions,
  setup: [setupFiles ?? []].flat(),
  globalSetup: [globalSetup ?? []].flat().length > 0,
  browser: browser?.enabled === true,
  alias: server.config.resolve.alias.filter(({ customResolver }) => !customResolver).map(({ find, replacement }) => typeof find === 'string' ? { text: find, to: replacement } : { pattern: find.source, flags: find.flags, to: replacement }),
  define: server.config.define ?? {},
  env: server.config.env,
  root: server.config.root,
  files: server.config.configFileDependencies ?? []
}, (key, value) => value instanceof RegExp ? { source: value.source, flags: value.flags } : value))
process.exit(0)
`;

/** Arguments: where the answer goes, the file that is Jest's command, the test file, options. */
export const JEST_SETTINGS = `
import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
const [answer, command, file, ...options] = process.argv.slice(1)
const { stdout, stderr } = spawnSync(process.execPath, [command, ...options, '--showConfig'], { encoding: 'utf8', maxBuffer: 64e6 })
const at = stdout.indexOf('{')
if (at < 0) {
  process.stderr.write(stderr)
  process.exit(1)
}
const { configs, globalConfig } = JSON.parse(stdout.slice(at))
const config = configs.filter(({ rootDir }) => file.startsWith(rootDir + '/')).sort((a, b) => b.rootDir.length - a.rootDir.length)[0] ?? configs[0]
writeFileSync(answer, JSON.stringify({ config, global: globalConfig }))
`;
