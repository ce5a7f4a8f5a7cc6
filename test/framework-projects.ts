/** Test files that replace modules, and projects whose settings put something around their tests. */
import type { Case } from './framework-files.js';

const DEPTH = "export const depthOf = name => name.length\nexport const other = () => 'real'\n";
const GAUGE = `import { readFileSync } from 'node:fs'
import { depthOf } from './depth.js'
export const level = () => depthOf('wenlow') + 1
export const raw = path => readFileSync(path, 'utf8')
export default class Gauge {
  read () { return level() }
  static make () { return new Gauge() }
}
export const list = [1, 2]
export const unit = 'm'
`;
const LOCK = `import Gauge, { level } from './gauge.js'
export const open = () => level() > 5
export const gauge = () => new Gauge().read()
`;
const WEIR = "export const flow = () => 'real flow'\n";
const WRITTEN = "export const flow = () => 'written flow'\n";

const FACTORIES = `import { expect, test, vi } from 'vitest'
import { open, gauge } from './lock.js'
import { level } from './gauge.js'
import * as depth from './depth.js'
import { readFileSync } from 'node:fs'
import { flow } from './weir.js'

const mocks = vi.hoisted(() => ({ depthOf: vi.fn(() => 40) }))
const { made, twice } = vi.hoisted(() => ({ made: 3, twice: x => x * 2 }))

vi.mock('./depth.js', async importOriginal => ({ ...(await importOriginal()), depthOf: mocks.depthOf }))
vi.mock('node:fs', () => ({ readFileSync: vi.fn(() => 'made up'), default: {} }))
vi.mock('./weir.js')
vi.mock(import('./nowhere.js'), () => ({ none: 1 }))

test('a module that others import is replaced', () => {
  expect(level()).toBe(41)
  expect(open()).toBe(true)
  expect(gauge()).toBe(41)
  expect(mocks.depthOf).toHaveBeenCalledTimes(3)
  expect(depth.other()).toBe('real')
  expect(made + twice(2)).toBe(7)
})
test('of the platform', () => { expect(readFileSync('x')).toBe('made up') })
test('by a file that is written for it', () => { expect(flow()).toBe('written flow') })
test('itself', async () => {
  const actual = await vi.importActual('./depth.js')
  expect(actual.depthOf('ab')).toBe(2)
})
test('later, and without a name', async () => {
  vi.doMock('./gauge.js', () => ({ level: () => 7 }))
  const again = await import('./gauge.js')
  expect(again.level()).toBe(7)
  expect(() => again.list).toThrow('No "list" export is defined on the "./gauge.js" mock')
  vi.doUnmock('./gauge.js')
})
test('anew', async () => {
  const first = await import('./lock.js')
  vi.resetModules()
  const second = await import('./lock.js')
  expect(first.open).not.toBe(second.open)
  expect(second.open()).toBe(true)
})
test('that fails', () => { expect(level()).toBe(7) })
`;

const COPIES = `import { expect, it, vi } from 'vitest'
import Gauge, { level, list, unit } from './gauge.js'
import { open } from './lock.js'
vi.mock('./gauge.js')
vi.mock('./depth.js', { spy: true })
import { depthOf } from './depth.js'
const levelMock = vi.mocked(level)
it('copies what is in it', () => {
  expect(level()).toBeUndefined()
  levelMock.mockReturnValue(9)
  expect(open()).toBe(true)
  expect(new Gauge().read()).toBeUndefined()
  expect(Gauge.make()).toBeUndefined()
  expect(list).toEqual([])
  expect(unit).toBe('m')
})
it('watches', () => {
  expect(depthOf('abc')).toBe(3)
  expect(depthOf).toHaveBeenCalledWith('abc')
})
`;

const SCRIPTS = `'use strict'
const lock = require('./lock')
const depth = require('./depth')
const { existsSync } = require('fs')
const weir = require('./weir')

jest.mock('./depth', () => jest.fn(() => 30))
jest.mock('fs').mock('./weir')

test('replaced', () => {
  expect(lock.open()).toBe(true)
  expect(depth).toHaveBeenCalledWith('wenlow')
  depth.mockReturnValue(1)
  expect(lock.open()).toBe(false)
})
test('of the platform', () => { expect(existsSync('/')).toBeUndefined() })
test('by a file that is written for it', () => { expect(weir.flow()).toBe('written flow') })
test('itself', () => { expect(jest.requireActual('./depth')('ab')).toBe(2) })
test('apart', () => {
  const gauge = require('./gauge')
  gauge.count = 5
  jest.isolateModules(() => { expect(require('./gauge').count).toBe(0) })
  expect(require('./gauge').count).toBe(5)
  jest.resetModules()
  expect(require('./gauge').count).toBe(0)
})
test('later', () => {
  jest.doMock('./gauge', () => ({ level: () => 3 }))
  jest.resetModules()
  expect(require('./lock').open()).toBe(false)
  const copy = jest.createMockFromModule('./gauge')
  expect(jest.isMockFunction(copy.level)).toBe(true)
  expect(copy.count).toBe(0)
  jest.dontMock('./gauge')
})
test('not there', () => {
  jest.doMock('./nothing', () => ({ here: 1 }), { virtual: true })
  expect(require('./nothing').here).toBe(1)
})
test('that fails', () => { expect(depth()).toBe(30) })
`;

const BOARD = (tools: string): string => `
describe('board', () => {
  const told = ${tools}.fn(() => 1)
  beforeEach(() => { document.body.innerHTML = '<button>open</button>' })
  it('is drawn', () => {
    expect(document.querySelector('button').textContent).toBe('open')
    expect(window.document).toBe(document)
    expect(boatsAllowed).toBe(3)
  })
  it('is pressed', () => {
    const button = document.querySelector('button')
    button.addEventListener('click', told)
    button.click()
    expect(told).toHaveBeenCalledTimes(1)
    expect(new window.CustomEvent('x')).toBeInstanceOf(Event)
    localStorage.setItem('lock', 'open')
    expect(localStorage.getItem('lock')).toBe('open')
  })
  it('has calls of its own', () => { expect(told).toHaveBeenCalledTimes(0) })
  it('knows what is set up', () => { expect(4).toBeEven() })
  it('reads names that lead elsewhere', () => { expect(depth).toBe(2) })
  it('fails', () => { expect(document.title).toBe('Wenlow') })
})
`;
const MATCHER = `expect.extend({ toBeEven: n => ({ pass: n % 2 === 0, message: () => n + ' is odd' }) })
globalThis.boatsAllowed = 3
`;

export const REPLACING: Case[] = [
  {
    framework: 'vitest',
    what: 'modules replaced by factories',
    file: 'lock.test.js',
    files: {
      'depth.js': DEPTH,
      'gauge.js': GAUGE,
      'lock.js': LOCK,
      'weir.js': WEIR,
      '__mocks__/weir.js': WRITTEN,
      'lock.test.js': FACTORIES,
    },
  },
  {
    framework: 'vitest',
    what: 'modules replaced by copies',
    file: 'lock.test.ts',
    files: { 'depth.js': DEPTH, 'gauge.js': GAUGE, 'lock.js': LOCK, 'lock.test.ts': COPIES },
  },
  {
    framework: 'jest',
    what: 'modules replaced in scripts',
    file: 'lock.test.js',
    files: {
      'depth.js': 'module.exports = name => name.length\n',
      'gauge.js': "const depth = require('./depth')\nexports.level = () => depth('wenlow') + 1\nexports.count = 0\n",
      'lock.js': "const { level } = require('./gauge')\nexports.open = () => level() > 5\n",
      'weir.js': "exports.flow = () => 'real flow'\n",
      '__mocks__/weir.js': "exports.flow = () => 'written flow'\n",
      'lock.test.js': SCRIPTS,
    },
  },
];

export const AROUND: Case[] = [
  {
    framework: 'vitest',
    what: 'a document, setup files, other names',
    file: 'src/board.test.js',
    files: {
      'vitest.config.js': `import { fileURLToPath } from 'node:url'
export default {
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  define: { __LOCK__: '"upper"' },
  test: { environment: 'happy-dom', globals: true, setupFiles: ['./src/setup.js'], clearMocks: true },
}
`,
      'src/setup.js': MATCHER,
      'src/depth.js': 'export const depth = 2\n',
      'src/board.css': 'button { color: teal }\n',
      'src/board.test.js': `import './board.css'
import picture from './board.png'
import { depth } from '@/depth'
it('has an address for a picture', () => { expect(picture).toMatch(/board\\.png$/) })
it('has what is defined', () => { expect([__LOCK__, import.meta.env.MODE, import.meta.env.DEV]).toEqual(['upper', 'test', true]) })
${BOARD('vi')}`,
      // More than what is put into the text as it is.
      'src/board.png': 'no picture, but long. '.repeat(400),
    },
  },
  {
    framework: 'jest',
    what: 'a document, setup files, other names',
    file: 'src/board.test.js',
    files: {
      'jest.config.js': `module.exports = {
  testEnvironment: 'jsdom',
  setupFilesAfterEnv: ['<rootDir>/src/setup.js'],
  clearMocks: true,
  moduleNameMapper: { '\\\\.css$': '<rootDir>/src/style.js', '^@/(.*)$': '<rootDir>/src/$1' },
}
`,
      'src/setup.js': MATCHER,
      'src/style.js': 'module.exports = {}\n',
      'src/depth.js': 'exports.depth = 2\n',
      'src/board.test.js': `require('./board.css')\nconst { depth } = require('@/depth')\n${BOARD('jest')}`,
    },
  },
  {
    framework: 'jest',
    what: 'a document for one file',
    file: 'board.test.js',
    files: {
      'board.test.js': `/**
 * @jest-environment jsdom
 * @jest-environment-options {"url": "https://wenlow.example/board"}
 */
test('has an address', () => { expect(location.pathname).toBe('/board') })
test('has no fetch', () => { expect(typeof fetch).toBe('undefined') })
`,
    },
  },
];
