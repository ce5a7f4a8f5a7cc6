/** Requests in words. */
import type { PadRecord } from '../record/record.js';
import type { RawRequest } from '../wire/reports.js';
import { durationText } from './duration.js';

/** `GET /locks/9 404 Not Found · 12 ms · 85 bytes`. */
export function requestText(request: RawRequest, whole = false): string {
  const parts = [`${request.method} ${whole ? request.url : shortUrl(request.url)} ${answerText(request)}`.trim()];
  if (request.tookMs !== undefined) parts.push(durationText(request.tookMs));
  if (request.size !== undefined && request.state === 'done') parts.push(sizeText(request.size));
  return parts.join(' · ');
}

function answerText(request: RawRequest): string {
  const status = request.status === undefined ? '' : `${request.status} ${request.statusText ?? ''}`.trim();
  if (request.state === 'failed') return `${status} failed${request.error ? `: ${request.error}` : ''}`.trim();
  return status === '' ? 'waits for an answer' : request.state === 'open' ? `${status}, body on its way` : status;
}

/** True for a request that did not give what was asked for. */
export function isBad(request: RawRequest): boolean {
  return request.state === 'failed' || (request.status ?? 0) >= 400;
}

function shortUrl(url: string): string {
  const match = /^[a-z]+:\/\/[^/?#]*(.*)$/i.exec(url);
  return match?.[1] ? match[1] : url;
}

/** `85 bytes`, `1.2 kB`, `3.4 MB`. */
export function sizeText(bytes: number): string {
  if (bytes < 1_000) return bytes === 1 ? '1 byte' : `${bytes} bytes`;
  return bytes < 1_000_000 ? `${(bytes / 1_000).toFixed(1)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
}

/** Requests that went wrong before a moment, made from inside a range of a file. */
export function badRequestsIn(
  record: PadRecord,
  file: string,
  from: { line: number; character: number },
  to: { line: number; character: number },
  until: number,
): RawRequest[] {
  const inside = (line: number, character: number): boolean =>
    (line > from.line || (line === from.line && character >= from.character)) &&
    (line < to.line || (line === to.line && character <= to.character));
  return record.requests.filter(
    (request) =>
      isBad(request) &&
      request.moment <= until &&
      request.frames.some((frame) => frame.file === file && inside(frame.line, frame.character)),
  );
}
