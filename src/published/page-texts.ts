/** Entry of a script of its own: pages of HTML, read as programs. */
import { pageText } from '../syntax/page-text.js';

(globalThis as { usherAnvilPages?: typeof pageText }).usherAnvilPages = pageText;
