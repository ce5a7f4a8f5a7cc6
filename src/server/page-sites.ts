/**
 * Pages on host names of their own: files of the pad's folder, packages, and the way to the frame. A page reaches its
 * own name alone; the workbench's is refused to it like to any other page.
 */
import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { realpathSync, statSync } from 'node:fs';
import { basename, dirname, join, sep } from 'node:path';
import type { FastifyReply } from 'fastify';
import type { WebSocketServer } from 'ws';
import { frameScript, OWN_PATHS, type PageFrame } from '../hosts/pages/index.js';

/** A page that is served. */
export interface PageSite {
  frame: PageFrame;
  /** Folder whose files it may load. */
  root: string;
  /** The text of a file that is open and not saved. */
  textOf(path: string): string | undefined;
  /** A package that is asked for while it runs. */
  find(specifier: string, from: string): Promise<{ address: string } | { why: string }>;
}

/** Sites by the first part of their host's name. */
export type FindSite = (name: string) => PageSite | undefined;

const HOST = /^(p[0-9a-f]{32})\.localhost:(\d+)$/;
const STYLE =
  'html,body{margin:0;height:100%;background:#fff}iframe{position:absolute;inset:0;width:100%;height:100%;border:0;background:#fff}.shown{z-index:1}';
const OUTER = `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>page</title><style>${STYLE}</style><body><script src="${OWN_PATHS}frame.js"></script></body></html>`;
const INNER = `<!doctype html><html><head><meta charset="utf-8"></head><body><script src="${OWN_PATHS}frame.js"></script></body></html>`;

/** The name of a page's host; undefined for the workbench's own, and for what is none of ours. */
export function siteName(host: string | undefined, port: number): string | undefined {
  const [, name, at] = HOST.exec(host ?? '') ?? [];
  return Number(at) === port ? name : undefined;
}

/** Policy of all that a page's host serves: it may be framed by the workbench and by itself, and nothing goes on behind it. */
function policy(port: number): string {
  return `frame-ancestors 'self' http://127.0.0.1:${port} http://localhost:${port}; worker-src 'self' blob:; base-uri 'self'`;
}

/** Answers a request to a page's host. */
export async function serveSite(
  request: IncomingMessage,
  reply: FastifyReply,
  site: PageSite | undefined,
  port: number,
): Promise<FastifyReply> {
  void reply.headers({
    'X-Content-Type-Options': 'nosniff',
    'Referrer-Policy': 'no-referrer',
    'Cross-Origin-Resource-Policy': 'same-origin',
    'Cache-Control': 'no-store',
    'Content-Security-Policy': policy(port),
  });
  const refuse = (code: number, text: string): FastifyReply => reply.code(code).type('text/plain').send(text);
  if (!site) return refuse(404, 'This page is there no longer. It is shown anew in the workbench.');
  const { origin } = request.headers;
  if (origin !== undefined && origin !== `http://${request.headers.host}`)
    return refuse(403, 'Requests from other pages are refused.');
  // What would go on behind the page, and outlive it.
  if (request.headers['service-worker'] !== undefined) return refuse(403, 'A pad registers no service worker.');
  if (request.method !== 'GET' && request.method !== 'HEAD') return refuse(405, 'Files are read here, and no more.');
  const { pathname, searchParams } = new URL(request.url ?? '/', 'http://page.localhost');
  if (pathname.startsWith(OWN_PATHS)) return own(pathname, searchParams, site, reply, refuse);
  if (searchParams.get('usher-anvil') === 'run') return reply.type('text/html; charset=utf-8').send(INNER);
  return file(pathname, site, reply, refuse);
}

async function own(
  path: string,
  asked: URLSearchParams,
  { frame, find }: PageSite,
  reply: FastifyReply,
  refuse: (code: number, text: string) => FastifyReply,
): Promise<FastifyReply> {
  if (path === `${OWN_PATHS}page`) return reply.type('text/html; charset=utf-8').send(OUTER);
  if (path === `${OWN_PATHS}frame.js`) {
    // It is the same for each run.
    return reply.header('Cache-Control', 'max-age=3600').type('text/javascript; charset=utf-8').send(frameScript());
  }
  if (path === `${OWN_PATHS}package`)
    return reply.send(await find(asked.get('specifier') ?? '', asked.get('from') ?? ''));
  const bytes = frame.packages.textAt(path);
  if (!bytes) return refuse(404, 'There is no such package here.');
  return reply.header('Cache-Control', 'max-age=3600').type('text/javascript; charset=utf-8').send(Buffer.from(bytes));
}

/** A file of the folder, as it is open here, else as it is on disk. */
function file(
  path: string,
  { root, textOf }: PageSite,
  reply: FastifyReply,
  refuse: (code: number, text: string) => FastifyReply,
): FastifyReply {
  let name: string;
  try {
    name = decodeURIComponent(path);
  } catch {
    return refuse(400, 'This address cannot be read.');
  }
  const none = (): FastifyReply => refuse(404, `${name} is not here.`);
  if (name.includes('\0') || name.split('/').some((part) => part.startsWith('.'))) return none();
  let found = join(root, name);
  const text = textOf(found);
  if (text !== undefined) return reply.type(typeOf(found)).send(text);
  try {
    found = realpathSync(found);
    if (statSync(found).isDirectory()) found = realpathSync(join(found, 'index.html'));
  } catch {
    return none();
  }
  if (!statSync(found).isFile()) return none();
  // A link may lead out of the folder; packages lie where their manager has put them.
  const isPackage = [name, found].every((path) => path.split(/[\\/]/).includes('node_modules'));
  if (!found.startsWith(root + sep) && !isPackage) return none();
  if (isPackage) return reply.sendFile(encodeURIComponent(basename(found)), dirname(found), { cacheControl: false });
  const inRoot = found.slice(root.length + 1).split(sep);
  if (inRoot.some((part) => part.startsWith('.'))) return none();
  return reply.sendFile(inRoot.map(encodeURIComponent).join('/'), root, { cacheControl: false });
}

const TYPES: Record<string, string> = {
  css: 'text/css',
  html: 'text/html',
  htm: 'text/html',
  js: 'text/javascript',
  mjs: 'text/javascript',
  json: 'application/json',
  svg: 'image/svg+xml',
};

/** Of a text that is open here. */
function typeOf(path: string): string {
  return `${TYPES[/\.(\w+)$/.exec(path)?.[1]?.toLowerCase() ?? ''] ?? 'text/plain'}; charset=utf-8`;
}

/** The way of a frame. @returns false where it is refused */
export function joinSite(
  sockets: WebSocketServer,
  request: IncomingMessage,
  socket: Duplex,
  head: Buffer,
  { frame }: PageSite,
): boolean {
  const { origin, host } = request.headers;
  if (origin !== `http://${host}` || request.url !== `${OWN_PATHS}channel`) return false;
  sockets.handleUpgrade(request, socket, head, (connection) => {
    const way = {
      send: (text: string): void => {
        if (connection.readyState === connection.OPEN) connection.send(text);
      },
      close: () => connection.close(),
    };
    connection.on('error', () => undefined);
    connection.on('message', (data) => frame.receive(way, (data as Buffer).toString('utf8')));
    connection.on('close', () => frame.detach(way));
    frame.attach(way);
  });
  return true;
}
