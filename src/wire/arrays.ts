/** Schemas of typed arrays and shared memory. */
import { z } from 'zod';
import { isArray } from './typed-arrays.js';

export const bytes = z.custom<Uint8Array>((one) => isArray('Uint8Array', one), 'no bytes');
export const numbers = z.custom<Float64Array>((one) => isArray('Float64Array', one), 'no numbers');
export const sharedMemory = z.custom<SharedArrayBuffer>(
  (one) => Object.prototype.toString.call(one) === '[object SharedArrayBuffer]',
  'no shared memory',
);
