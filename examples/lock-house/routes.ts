/** The routes of the lock house: which path is whose work. */
import type { IncomingMessage } from 'node:http';
import { bargeNamed, leave, queue, wait } from './data/queue.js';
import { passagesOf } from './data/passages.js';
import { officeBook, stays } from './data/berths.js';
import { keeperAt } from './data/keepers.js';
import { locks, lockNamed, mooring, riseBetween, type Barge, type Stay } from './rules.js';
import { bill, chargeFor, waitingTime } from './rules/tolls.js';
import { page } from './templates/page.js';
import { profile } from './templates/profile.js';

export interface Asked {
  request: IncomingMessage;
  url: URL;
  /** What stands in the place of the path's parts, by name. */
  given: Record<string, string>;
}

export type Route = (asked: Asked) => unknown;

/** The office counts on a book that settles what is owed. */
const book = officeBook as typeof officeBook & { settle(stay: Stay, owed: number): string };

export const routes: Record<string, Route> = {
  'GET /': () => page('The lock house', pathsOf()),
  'GET /locks': () => locks,
  'GET /locks/:name': ({ given }) => lockNamed(given.name!),
  'GET /profile': () => profile(locks),
  'GET /queue': () => queue.map(({ name, cargo }) => `${name} (${cargo})`),
  'POST /queue': async ({ request }) => ({ waiting: wait((await bodyOf(request)) as Barge) }),
  'DELETE /queue/:name': ({ given }) => leave(given.name!),
  'GET /tolls': () => queue.map((barge) => ({ name: barge.name, toll: chargeFor(barge, hourOf('12')) })),
  'GET /tolls/:name': ({ given, url }) => {
    const barge = bargeNamed(given.name!);
    if (!barge) return undefined;
    const lines = bill(barge, hourOf(url.searchParams.get('hour')));
    return page(`Toll of the ${barge.name}`, [...lines, `waits about ${waitingTime(barge, queue)} minutes`]);
  },
  'GET /passages': ({ url }) => {
    const passages = passagesOf(url.searchParams.get('boat') ?? 'Heron');
    return passages.map((one) => ({ ...one, rise: riseBetween(one.from, one.to), keeper: keeperAt(one.from) }));
  },
  'GET /moorings': () =>
    page(
      'Moorings',
      stays.map((stay) => `${stay.barge} owes ${mooring(stay)}`),
    ),
  'GET /account': () => page('Account', [book.settle(stays[0]!, mooring(stays[0]!))]),
};

export function pathsOf(): string[] {
  return Object.keys(routes);
}

/** The route of a request, with what stands in the place of the path's parts. */
export function find(path: string): { route: Route; given: Record<string, string> } | undefined {
  for (const [pattern, route] of Object.entries(routes)) {
    const given = fit(pattern, path);
    if (given) return { route, given };
  }
  return undefined;
}

function fit(pattern: string, path: string): Record<string, string> | undefined {
  const [written, own] = [pattern.split('/'), path.split('/')];
  if (written.length !== own.length) return undefined;
  const given: Record<string, string> = {};
  for (const [index, part] of written.entries()) {
    if (part.startsWith(':')) given[part.slice(1)] = decodeURIComponent(own[index]!);
    else if (part !== own[index]) return undefined;
  }
  return given;
}

function hourOf(text: string | null): number {
  return text === null ? 12 : Number(text);
}

async function bodyOf(request: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of request) text += String(chunk);
  return JSON.parse(text);
}
