/** Entry of a script of its own, beside the pages of a folder: what the light one cannot translate. */
import * as ts from 'typescript';
import { translateByTypeScript } from '../instrument/by-typescript.js';
import { putCompiler } from './compilers.js';

putCompiler('whole-compiler', (code, options) => translateByTypeScript(ts, code, options));
