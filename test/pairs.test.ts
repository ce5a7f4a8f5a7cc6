import vm from 'node:vm';
import { both, inTurn, WHOLE } from './harness.js';
import { listing, statements, written } from './statements.js';

function parses(text: string): boolean {
  try {
    new vm.Script(`(function(){${text}\n})`);
    return true;
  } catch {
    return false;
  }
}

const named = (line: string): string => line.replace(/\$\w+/g, '…');

test('every kind of statement before every kind runs as written, at each depth and with patch points', async () => {
  let pairs = 0;
  const wrong: string[] = [];
  for (const first of inTurn(statements, 8)) {
    const programs = statements
      .map((second, index) => listing(`${written(first, `1_${index}`)}\n${written(second, `2_${index}`)}`))
      .filter(parses);
    pairs += programs.length;
    for (const [depth, patchable] of [
      ['off', true],
      ['counts', false],
      ['values', false],
    ] as const) {
      const { plain, instrumented } = await both(programs.join('\n'), depth, 'canal.cjs', patchable);
      if (JSON.stringify(plain) === JSON.stringify(instrumented)) continue;
      for (const program of programs) {
        const one = await both(program, depth, 'canal.cjs', patchable);
        if (JSON.stringify(one.plain) !== JSON.stringify(one.instrumented))
          wrong.push(
            `${depth}: ${program}\n${named(JSON.stringify(one.plain))}\n${named(JSON.stringify(one.instrumented))}`,
          );
      }
    }
  }
  expect(wrong.slice(0, 5)).toEqual([]);
  expect(pairs).toBeGreaterThan((130 * 130) / (WHOLE ? 1 : 9));
});
