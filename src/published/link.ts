/**
 * A small pad in the fragment of an address: `#usher-anvil/link@1,` and then, compressed with DEFLATE and written as
 * base64 of addresses, JSON of its name, text, the files that it imports, input and last result.
 */
import { z } from 'zod';
import { PUBLISHED, settings, type Published } from './format.js';

export const LINK = '#usher-anvil/link@1,';
/** Characters of an address that every browser, mail and chat still takes. */
export const MOST_CHARACTERS = 8_000;
/** Characters of what a link may unfold to. */
const MOST_TEXT = 1_000_000;

/** Of files that any published page can execute. */
const NAME = /^[\w.-]{1,100}\.(?:[cm]?[jt]s|[jt]sx|json|html?)$/;
/** Beside the pad or below, and nowhere else. */
const FILE = /^(?:[\w-][\w.-]*\/){0,6}[\w-][\w.-]{0,100}$/;
/** What a page of HTML has beside itself. */
const BESIDE = /<(?:script|link|img|source|video|audio)\b[^>]*\b(?:src|href)\s*=\s*["']?(?![a-z]+:|\/\/|#|["'>\s])/i;

const linked = z.object({
  name: z.string().regex(NAME),
  text: z.string().max(MOST_TEXT),
  /** Texts of files that it imports, by paths from its folder on. */
  files: z.record(z.string().regex(FILE), z.string().max(MOST_TEXT)).optional(),
  /** Compiler settings and kind of scripts of the project that it comes from. */
  settings: settings.optional(),
  type: z.enum(['module', 'commonjs']).optional(),
  input: z.object({ name: z.string().max(200), text: z.string().max(MOST_TEXT) }).optional(),
  /** What windows were told of its last run. */
  last: z.array(z.looseObject({ type: z.string() })).max(20),
});
export type Linked = z.infer<typeof linked>;

/** @returns undefined where the address carries nothing; else a pad that waits for its reader, or why there is none */
export async function readLink(hash: string): Promise<{ pad: Published } | { problem: string } | undefined> {
  if (!hash.startsWith('#usher-anvil/link@')) return undefined;
  if (!hash.startsWith(LINK))
    return { problem: 'This link was made by a later version. Open it in a newer workbench.' };
  try {
    const given = linked.parse(JSON.parse(await unfold(hash.slice(LINK.length))));
    const { name, text, files = {}, input, last, settings: compiled, type } = given;
    return {
      pad: {
        ...{
          format: PUBLISHED,
          pad: `/${name}`,
          runs: false,
          compiles: [name, ...Object.keys(files)].some((one) => /x$/.test(one)),
          packages: { names: [], code: '' },
          ...(compiled ? { settings: compiled } : {}),
          ...(type ? { type } : {}),
        },
        files: {
          ...Object.fromEntries(Object.entries(files).map(([path, one]) => [`/${path}`, one])),
          [`/${name}`]: text,
          ...(input ? { [`/${input.name}`]: input.text } : {}),
        },
        last: last.filter(isTold),
      },
    };
  } catch {
    return { problem: 'This link is not whole: a part of it was lost on the way. Ask for it once more.' };
  }
}

/** What a link may tell a window: what was seen of a run, and nothing that does anything. */
function isTold({ type }: { type: string }): boolean {
  return type === 'record' || type === 'shown';
}

/**
 * @returns the fragment of an address
 * @throws RangeError where it would be longer than {@link MOST_CHARACTERS}, or a file of the pad does not lie beside it
 */
export async function makeLink(pad: Linked): Promise<string> {
  if (!NAME.test(pad.name))
    throw new RangeError(
      `A link is opened in any published page, and ${pad.name} needs what this one came with. Publish it as a file.`,
    );
  if (/\.html?$/.test(pad.name) && BESIDE.test(pad.text))
    throw new RangeError('This page has files beside it that a link does not carry. Publish it as a file.');
  if (Object.keys(pad.files ?? {}).some((path) => !FILE.test(path)))
    throw new RangeError('This pad imports files from elsewhere than beside it. Publish it as a file.');
  let text = LINK + (await fold(JSON.stringify(pad)));
  // Without its last result it still runs.
  if (text.length > MOST_CHARACTERS) text = LINK + (await fold(JSON.stringify({ ...pad, last: [] })));
  if (text.length > MOST_CHARACTERS)
    throw new RangeError(
      `The pad is too large for a link: it would have ${text.length.toLocaleString('en-US')} characters, and ${MOST_CHARACTERS.toLocaleString('en-US')} is what all programs take. Publish it as a file.`,
    );
  return text;
}

async function fold(text: string): Promise<string> {
  const bytes = await through(new Blob([text]), new CompressionStream('deflate-raw'), Infinity);
  let all = '';
  for (const byte of bytes) all += String.fromCharCode(byte);
  return btoa(all).replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '');
}

async function unfold(text: string): Promise<string> {
  const bytes = Uint8Array.from(atob(text.replace(/-/g, '+').replace(/_/g, '/')), (one) => one.charCodeAt(0));
  return new TextDecoder('utf-8', { fatal: true }).decode(
    await through(new Blob([bytes]), new DecompressionStream('deflate-raw'), MOST_TEXT * 3),
  );
}

/** @throws RangeError where more comes out than that */
async function through(blob: Blob, stream: CompressionStream | DecompressionStream, most: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let size = 0;
  const reader = blob.stream().pipeThrough(stream).getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    size += part.value.length;
    if (size > most) throw new RangeError('it unfolds to more than is allowed');
    parts.push(part.value);
  }
  const all = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}
