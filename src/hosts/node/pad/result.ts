/** The default export of a pad, for whoever asked for it. */
import type { Target } from '../../../runtime/target.js';
import type { PadResult } from '../../../wire/runs.js';

/** The pad's default export as what can be written to a file or a pipe. */
export async function resultOf(target: Target, entry: string): Promise<PadResult> {
  try {
    const result = await target.result(entry);
    if (!result) return { is: 'none' };
    const { value } = result;
    if (typeof value === 'string') return { is: 'text', text: value };
    if (ArrayBuffer.isView(value))
      return { is: 'bytes', bytes: new Uint8Array(value.buffer, value.byteOffset, value.byteLength).slice() };
    const text = JSON.stringify(value, null, 2) as string | undefined;
    return text === undefined
      ? {
          is: 'failed',
          why:
            `its default export is ${typeof value === 'undefined' ? 'undefined' : `a ${typeof value}`}, ` +
            'which is neither text nor JSON',
        }
      : { is: 'text', text };
  } catch (error) {
    return {
      is: 'failed',
      why: `its default export cannot be written as JSON: ${error instanceof Error ? error.message : String(error)}`,
    };
  }
}
