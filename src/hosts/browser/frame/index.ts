/** Entry of both frames: the outer one at the page's own host, and the inner one of each run. */
import { startInner } from './inner.js';
import { startOuter } from './outer.js';

if (window.parent !== window && location.search === '?usher-anvil=run') startInner();
else startOuter();
