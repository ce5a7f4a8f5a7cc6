/** What frameworks write of their results, in our words. */
import { realpathSync } from 'node:fs';
import { stripVTControlCharacters } from 'node:util';
import { z } from 'zod';
import type { OwnResult } from '../../../record/own-results.js';
import type { FrameworkPlace } from '../../../wire/runs.js';

/** What Jest and Vitest write. */
const reported = z.object({
  testResults: z.array(
    z.object({
      name: z.string(),
      message: z.string().nullish(),
      assertionResults: z.array(
        z.object({
          ancestorTitles: z.array(z.string()),
          title: z.string(),
          status: z.string(),
          duration: z.number().nullish(),
          failureMessages: z.array(z.string()).nullish(),
        }),
      ),
    }),
  ),
});

/** What our own reporters write, and frameworks that stay loaded tell. */
export const listedResults = z.array(
  z.object({
    path: z.array(z.string()),
    name: z.string(),
    state: z.enum(['passed', 'failed', 'skipped', 'todo']),
    durationMs: z.number(),
    message: z.string().optional(),
  }),
);

const STATES: Readonly<Record<string, OwnResult['state']>> = {
  passed: 'passed',
  failed: 'failed',
  todo: 'todo',
};

/** @throws Error where the text is none that the framework writes, or the file could not be loaded */
export function resultsIn(framework: FrameworkPlace['name'], text: string, file: string): OwnResult[] {
  const json: unknown = JSON.parse(text);
  if (framework === 'mocha' || framework === 'jasmine') {
    return listedResults
      .parse(json)
      .map(({ message, ...rest }) => ({ ...rest, ...(message === undefined ? {} : { message }) }));
  }
  const real = realpathSync(file);
  const own = reported.parse(json).testResults.filter(({ name }) => name === file || name === real);
  for (const { message, assertionResults } of own)
    if (assertionResults.length === 0 && message)
      throw new Error(
        stripVTControlCharacters(message)
          .split('\n')
          .find((line) => /Error/.test(line)) ?? stripVTControlCharacters(message),
      );
  return own.flatMap(({ assertionResults }) =>
    assertionResults.map(({ ancestorTitles, title, status, duration, failureMessages }): OwnResult => {
      const message = failureMessages?.[0];
      return {
        // Early versions name the file, by nothing.
        path: ancestorTitles[0] === '' ? ancestorTitles.slice(1) : ancestorTitles,
        name: title,
        state: STATES[status] ?? 'skipped',
        durationMs: Math.max(0, duration ?? 0),
        ...(message === undefined ? {} : { message: withoutStack(stripVTControlCharacters(message)) }),
      };
    }),
  );
}

/** The message of an error that was printed with its stack. */
export function withoutStack(text: string): string {
  return text.replace(/\n\s+at [\s\S]*$/, '').replace(/^(?:[A-Z]\w*)?Error: /, '');
}
