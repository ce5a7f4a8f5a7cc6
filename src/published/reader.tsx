/** What a reader of a published pad may do that no workbench has: let it run, and hand it on as a link. */
import { useEffect, useState } from 'react';
import { makeLink } from './link.js';
import type { Opened } from './open.js';

export function Reader({ opened }: { opened: Opened }) {
  const [begun, setBegun] = useState(opened.hasBegun());
  const [note, setNote] = useState(opened.problem ?? '');
  useEffect(() => {
    opened.onBegin(() => setBegun(true));
    const timer = setTimeout(() => opened.tellLast());
    return () => clearTimeout(timer);
  }, [opened]);
  const copy = async (): Promise<void> => {
    try {
      const fragment = await makeLink(opened.toLink());
      const address = `${location.href.split('#')[0]}${fragment}`;
      history.replaceState(null, '', fragment);
      await navigator.clipboard.writeText(address).then(
        () => setNote('The link is in the clipboard, and in the address of this page.'),
        () => setNote('The link is in the address of this page.'),
      );
    } catch (error) {
      setNote((error as Error).message);
    }
  };
  return (
    <aside className="reader" aria-label="This page">
      {begun ? null : (
        <>
          <span>Nothing of this pad has run here.</span>
          <button onClick={() => opened.begin()}>Run it</button>
        </>
      )}
      <button className="quiet" onClick={() => void copy()}>
        Link
      </button>
      {note === '' ? null : (
        <span role="status" onClick={() => setNote('')}>
          {note}
        </span>
      )}
    </aside>
  );
}
