/** All the code that took part in what is walked through, on one page: the functions in the order of calls. */
import type { WalkPieces } from '../server/protocol.js';
import { PieceLines } from './piece-lines.js';
import type { Store } from './store.js';

export function WalkedPieces({ store, shown: { of, pieces } }: { store: Store; shown: WalkPieces }) {
  return (
    <div className="walk-pieces" aria-label="Pieces" role="region" onKeyDown={(event) => event.stopPropagation()}>
      <p className="dim">
        {pieces.length} {pieces.length === 1 ? 'function' : 'functions'}
        {of === '' ? ' took part' : ` under one call of ${of}`}, in the order of calls. A click on a line puts the
        cursor there.
      </p>
      {pieces.map(({ file, name, layer, calls, threw, lines }) => (
        <article
          key={`${file} ${name} ${lines[0]?.line}`}
          className={`piece${threw ? ' threw' : ''}`}
          aria-label={`${file} ${name}`}
        >
          <div className="piece-head">
            <span>
              <strong>{file}</strong> {name}
            </span>
            <span className="piece-facts">
              {layer} · ×{calls.toLocaleString('en-US')}
              {threw ? ` · threw ${threw === 1 ? 'once' : `${threw} times`}` : ''}
            </span>
          </div>
          <PieceLines
            file={file}
            lines={lines}
            label="Put the cursor here"
            onEdit={(line, character) => store.goTo(file, line, character)}
          />
        </article>
      ))}
    </div>
  );
}
