/** Pixels as a picture that a page can show. */
import type { Shown } from '../../record/record.js';

/** A picture as a BMP in a data address: 32 bits a pixel, rows from the bottom. */
export function bitmap({ columns, rows, rgba }: NonNullable<Shown['pixels']>): string {
  const size = 54 + columns * rows * 4;
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  bytes[0] = 66;
  bytes[1] = 77;
  view.setUint32(2, size, true);
  view.setUint32(10, 54, true);
  view.setUint32(14, 40, true);
  view.setInt32(18, columns, true);
  view.setInt32(22, rows, true);
  view.setUint16(26, 1, true);
  view.setUint16(28, 32, true);
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++) {
      const from = (y * columns + x) * 4;
      const to = 54 + ((rows - 1 - y) * columns + x) * 4;
      bytes[to] = rgba[from + 2]!;
      bytes[to + 1] = rgba[from + 1]!;
      bytes[to + 2] = rgba[from]!;
      bytes[to + 3] = 255;
    }
  return `data:image/bmp;base64,${base64(bytes)}`;
}

const DIGITS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** RFC 4648, section 4. */
function base64(bytes: Uint8Array): string {
  const parts: string[] = [];
  for (let i = 0; i < bytes.length; i += 3) {
    const word = (bytes[i]! << 16) | ((bytes[i + 1] ?? 0) << 8) | (bytes[i + 2] ?? 0);
    parts.push(
      DIGITS[word >> 18]! +
        DIGITS[(word >> 12) & 63]! +
        (i + 1 < bytes.length ? DIGITS[(word >> 6) & 63]! : '=') +
        (i + 2 < bytes.length ? DIGITS[word & 63]! : '='),
    );
  }
  return parts.join('');
}
