/** Pages that a program has answered with, to be shown in a frame: nothing in them runs, and they reach nothing. */
import { randomBytes } from 'node:crypto';
import type { FastifyInstance } from 'fastify';

/** Characters of one page, and pages that are kept. */
const MOST_TEXT = 4 * 1024 * 1024;
const MOST_PAGES = 20;

/** @param isToken the token is ours */
export function serveAnswers(app: FastifyInstance, isToken: (given: unknown) => boolean): void {
  const pages = new Map<string, string>();
  const tokenOf = (query: unknown): unknown => (query as { token?: unknown }).token;
  app.post('/answer', { bodyLimit: MOST_TEXT }, async (request, reply) => {
    if (!isToken(tokenOf(request.query)) || typeof request.body !== 'string')
      return reply.code(401).type('text/plain').send('A token is missing or wrong.');
    const id = randomBytes(12).toString('base64url');
    pages.set(id, request.body);
    if (pages.size > MOST_PAGES) pages.delete(pages.keys().next().value!);
    return reply.type('text/plain').send(id);
  });
  app.get('/answer/:id', async (request, reply) => {
    const page = pages.get((request.params as { id: string }).id);
    if (!isToken(tokenOf(request.query)) || page === undefined)
      return reply.code(404).type('text/plain').send('This answer is kept no longer.');
    void reply.header(
      'Content-Security-Policy',
      "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; frame-ancestors 'self'",
    );
    return reply.type('text/html; charset=utf-8').send(page);
  });
}
