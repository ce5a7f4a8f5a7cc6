/** What the workbench asks of `node:crypto`. */

export function randomBytes(size: number): { toString(encoding: 'hex' | 'base64url'): string } {
  const bytes = crypto.getRandomValues(new Uint8Array(size));
  return { toString: () => [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('') };
}

/** A digest that tells texts of one page apart; nothing here is to withstand anybody. FNV-1a, four times. */
export function createHash(): { update(text: string): { digest(): string } } {
  return {
    update: (text) => ({
      digest: () =>
        [0x811c9dc5, 0x1000193, 0x9e3779b1, 0x85ebca6b]
          .map((seed) => {
            let hash = seed;
            for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x1000193);
            return (hash >>> 0).toString(16).padStart(8, '0');
          })
          .join(''),
    }),
  };
}
