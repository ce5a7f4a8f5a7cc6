/** What a window asks of packages and documents: to add one, what imports cost, a record as a file. */
import { basename, dirname } from 'node:path';
import { addPackage, scriptsText, sizeOf } from '../../hosts/node/packages.js';
import type { PadRecord } from '../../record/record.js';
import { packageImports } from '../../syntax/imports.js';
import { sizeText } from '../../views/requests.js';
import { problemOf } from '../problem.js';
import type { ToWindow } from '../protocol.js';
import { documentOf, type ShareFormat } from '../share.js';
import type { Folder } from './folder.js';

type Send = (message: ToWindow) => void;

/**
 * Installs a package for a pad.
 *
 * @param tellAll to all windows: how far it is
 * @returns false where it could not be installed, which `send` was told
 */
export async function installFor(
  pad: string,
  name: string,
  folder: Folder,
  send: Send,
  tellAll: Send,
): Promise<boolean> {
  const say = (text: string): void => tellAll({ type: 'busy', text });
  say(`Adding ${name}…`);
  try {
    const progress = (text: string): void => say(`Adding ${name}: ${text}`);
    const added = await addPackage(name, { folder: dirname(pad), progress });
    const scripts = scriptsText(added.scripts).join('; ');
    const left = scripts === '' ? '' : ` Scripts were not run: ${scripts}. The command add runs them with --scripts.`;
    const types = added.types ? ` Its types came with ${added.types}.` : '';
    send({
      type: 'note',
      text: `${added.name} ${added.version} is there, in ${folder.nameOf(added.folder)}.${types}${left}`,
    });
    return true;
  } catch (error) {
    send(problemOf(error, 'E_INSTALL'));
    return false;
  } finally {
    say('');
  }
}

/** What the packages that a file imports cost when they are bundled, line by line. */
export async function sizesOf(path: string, text: string): Promise<{ file: string; line: number; text: string }[]> {
  return Promise.all(
    packageImports(path, text).map(async ({ specifier, names, line }) => {
      try {
        const { minified, gzipped } = await sizeOf(specifier, names, path);
        return { file: path, line, text: `${sizeText(minified)} minified, ${sizeText(gzipped)} with gzip` };
      } catch (error) {
        return { file: path, line, text: error instanceof Error ? error.message : String(error) };
      }
    }),
  );
}

const MIME: Record<ShareFormat, string> = {
  html: 'text/html',
  md: 'text/markdown',
  svg: 'image/svg+xml',
  png: 'image/png',
  json: 'application/json',
};

/** Sends a record as a document. */
export async function sendDocument(
  record: PadRecord,
  format: ShareFormat,
  { until, lines }: { until: number; lines?: { from: number; to: number } | undefined },
  folder: Folder,
  send: Send,
): Promise<void> {
  send({ type: 'busy', text: `Making ${format.toUpperCase()}…` });
  try {
    const made = await documentOf(record, format, {
      name: folder.nameOf(record.file),
      cwd: folder.root,
      ...(until < record.moments ? { until } : {}),
      ...(lines ? { lines } : {}),
    });
    const name = `${basename(record.file).replace(/\.[^.]+$/, '')}.${format}`;
    send({ type: 'document', name, mime: MIME[format], base64: Buffer.from(made).toString('base64') });
  } catch (error) {
    send(problemOf(error, 'E_FORMAT'));
  } finally {
    send({ type: 'busy', text: '' });
  }
}
