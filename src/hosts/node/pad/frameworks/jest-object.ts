/** The object `jest`: what stands for functions and timers comes from the project's own packages. */
import { jestModules, type Automocker } from './jest-modules.js';
import { required, type Fn, type FrameworkParts, type Loose } from './parts.js';

interface Mocker extends Automocker {
  fn: Fn;
  spyOn: Fn;
  replaceProperty?: Fn;
  mocked: Fn;
  isMockFunction: Fn;
  clearAllMocks(): void;
  resetAllMocks(): void;
  restoreAllMocks(): void;
}

interface FakeTimers {
  useFakeTimers(config?: Loose): void;
  useRealTimers(): void;
  dispose(): void;
  [name: string]: unknown;
}

/** How `jest` names what its timers do. */
const TIMERS: Readonly<Record<string, string>> = {
  advanceTimersByTime: 'advanceTimersByTime',
  advanceTimersByTimeAsync: 'advanceTimersByTimeAsync',
  advanceTimersToNextFrame: 'advanceTimersToNextFrame',
  advanceTimersToNextTimer: 'advanceTimersToNextTimer',
  advanceTimersToNextTimerAsync: 'advanceTimersToNextTimerAsync',
  clearAllTimers: 'clearAllTimers',
  getTimerCount: 'getTimerCount',
  now: 'now',
  getRealSystemTime: 'getRealSystemTime',
  runAllTicks: 'runAllTicks',
  runAllTimers: 'runAllTimers',
  runAllTimersAsync: 'runAllTimersAsync',
  runOnlyPendingTimers: 'runOnlyPendingTimers',
  runOnlyPendingTimersAsync: 'runOnlyPendingTimersAsync',
  setSystemTime: 'setSystemTime',
};

/** Replacing all modules is what Jest's own run does. */
const OF_ALL_MODULES = ['enableAutomock', 'autoMockOn'];

/**
 * @param stateOf the state of what runs the tests
 * @returns `end` puts the real timers back
 */
export function jestObject(parts: FrameworkParts, stateOf: () => Loose): { jest: Loose; end(): void } {
  const { ModuleMocker } = required(parts, 'jest-mock') as { ModuleMocker: new (global: object) => Mocker };
  const { ModernFakeTimers } = required(parts, '@jest/fake-timers') as {
    ModernFakeTimers: new (options: { config: Loose; global: object }) => FakeTimers;
  };
  const mocker = new ModuleMocker(globalThis);
  const fakeTimers = { advanceTimers: false, doNotFake: [], timerLimit: 100_000, now: undefined };
  let timers: FakeTimers | undefined;
  const timersNow = (): FakeTimers =>
    (timers ??= new ModernFakeTimers({ config: { fakeTimers, rootDir: parts.file }, global: globalThis }));
  const jest: Loose = {};
  const chained =
    (does: (...args: never[]) => void) =>
    (...args: never[]): Loose => {
      does(...args);
      return jest;
    };
  for (const name of ['fn', 'spyOn', 'replaceProperty', 'mocked', 'isMockFunction'] as const)
    if (mocker[name]) jest[name] = (mocker[name] as Fn).bind(mocker);
  for (const name of ['clearAllMocks', 'resetAllMocks', 'restoreAllMocks'] as const)
    jest[name] = chained(() => mocker[name]());
  for (const [name, of] of Object.entries(TIMERS))
    jest[name] = (...args: never[]) => (timersNow()[of] as Fn).call(timersNow(), ...args);
  Object.assign(jest, {
    useFakeTimers: chained((config?: Loose) => timersNow().useFakeTimers(config)),
    useRealTimers: chained(() => timersNow().useRealTimers()),
    setTimeout: chained((ms: number) => (stateOf().testTimeout = ms)),
    retryTimes: chained((times: number, options?: Loose) => {
      const global = globalThis as unknown as Record<symbol, unknown>;
      global[Symbol.for('RETRY_TIMES')] = times;
      global[Symbol.for('LOG_ERRORS_BEFORE_RETRY')] = options?.logErrorsBeforeRetry;
      global[Symbol.for('WAIT_BEFORE_RETRY')] = options?.waitBeforeRetry;
      global[Symbol.for('RETRY_IMMEDIATELY')] = options?.retryImmediately;
    }),
    disableAutomock: chained(() => undefined),
    autoMockOff: chained(() => undefined),
    ...jestModules(parts, mocker, () => jest),
    isEnvironmentTornDown: () => false,
    getSeed: () => 0,
  });
  for (const name of OF_ALL_MODULES)
    jest[name] = () => {
      throw new Error(`jest.${name}() replaces all modules: that is done by Jest itself`);
    };
  return { jest, end: () => timers?.dispose() };
}
