/** Files of a published pad that is a page. */
import { AloneFiles, type AlonePlace } from '../hosts/alone/index.js';
import type { PageSource } from '../hosts/pages/frame-way.js';
import { PageCode } from '../hosts/pages/page-code.js';
import type { Resolution } from '../session/host.js';
import type { PageText } from '../syntax/page-text.js';
import type { PackageType } from '../syntax/parse.js';
import type { FramePage } from '../wire/frames.js';
import { memory } from './memory.js';

const TYPES: Record<string, string> = {
  svg: 'image/svg+xml',
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
};

export class AlonePageFiles extends AloneFiles implements PageSource {
  private readonly code: PageCode;

  constructor(
    private readonly entry: string,
    place: AlonePlace,
  ) {
    super(place.store, place.carried, place.settings, place.type, (file, text) =>
      place.made?.(file, text, file === entry),
    );
    this.code = new PageCode(entry, {
      resolve: (specifier, from) => this.resolve(specifier, from),
      textAt: (address) => memory.text(this.pathOf(address)),
    });
  }

  /** Of what an address of the page leads to. */
  private pathOf(address: string): string {
    return this.beside(this.entry, address.replace(/[?#].*$/, ''));
  }

  pageOf(text: string): PageText | undefined {
    return this.code.pageOf(text);
  }

  get globals(): Record<string, string[]> {
    return this.code.globals;
  }

  codeOf(file: string, text: string): string {
    return this.code.codeOf(file, text);
  }

  override packageType(): PackageType {
    return 'module';
  }

  /** A name of a page's script needs no dot. */
  override resolve(specifier: string, from: string): Resolution {
    const found = super.resolve(specifier, from);
    if (found.kind !== 'missing' || from !== this.entry || /^[./]|:/.test(specifier)) return found;
    const beside = super.resolve(`./${specifier}`, from);
    return beside.kind === 'local' ? beside : found;
  }

  carriedWith({ sheets, outside, html }: PageText): FramePage['carried'] {
    const texts = (addresses: readonly string[]): Record<string, string> =>
      Object.fromEntries(
        addresses.flatMap((address) => {
          const text = memory.text(this.pathOf(address));
          return text === undefined ? [] : [[address, text]];
        }),
      );
    const pictures: Record<string, string> = {};
    for (const [, , address] of html.matchAll(/\b(?:src|href|poster)\s*=\s*(["']?)([^"'\s>]+)\1/g)) {
      const bytes = memory.read(this.pathOf(address!));
      const type = TYPES[/\.(\w+)(?:[?#].*)?$/.exec(address!)?.[1]?.toLowerCase() ?? ''];
      if (bytes && type) pictures[address!] = `data:${type};base64,${base64Of(bytes)}`;
    }
    return { sheets: texts(sheets), scripts: texts(outside), pictures };
  }
}

function base64Of(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}
