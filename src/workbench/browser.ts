/** What the browser keeps and takes. */

/** Hands a document to the browser as a file. */
export function download(name: string, mime: string, base64: string): void {
  downloadPart(
    name,
    mime,
    Uint8Array.from(atob(base64), (character) => character.charCodeAt(0)),
  );
}

export function downloadPart(name: string, mime: string, part: string | Uint8Array<ArrayBuffer>): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([part], { type: mime }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** The theme that was chosen, or the system's. */
export function storedTheme(): 'light' | 'dark' {
  const stored = localStorage.getItem('theme');
  if (stored === 'light' || stored === 'dark') return stored;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}
