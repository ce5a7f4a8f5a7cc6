import { spawn } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { CATALOGUE, type Edit } from './edits/catalogue.js';
import { folder, root, WHOLE } from './harness.js';

const page = join(root, 'docs/edits.md');

/** What the platform's own live edit makes of each edit: `yes`, or why not. */
async function platform(edits: readonly Edit[]): Promise<string[]> {
  const child = spawn(process.execPath, [join(root, 'test/edits/platform.mjs')], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  child.stdin.end(JSON.stringify({ folder: folder(), edits }));
  let text = '';
  for await (const chunk of child.stdout) text += String(chunk);
  return JSON.parse(text) as string[];
}

function tableOf(edits: readonly Edit[], results: Map<Edit, string>): string {
  const groups = [...new Set(edits.map((edit) => edit.group))];
  const count = (list: readonly Edit[]): number => list.filter((edit) => results.get(edit) === 'yes').length;
  const lines = ['| edits | in all | Usher Anvil | platform |', '|---|---:|---:|---:|'];
  for (const group of groups) {
    const list = edits.filter((edit) => edit.group === group);
    lines.push(
      `| ${group} | ${list.length} | ${list.length} | ${list.some((edit) => results.has(edit)) ? count(list) : 'takes no TypeScript'} |`,
    );
  }
  lines.push(`| **all** | **${edits.length}** | **${edits.length}** | **${count(edits)}** |`);
  const short = (text: string): string => (text.length > 70 ? `${text.slice(0, 69)}…` : text).replaceAll('|', '\\|');
  const details = groups.flatMap((group) => [
    '',
    `## ${group[0]!.toUpperCase()}${group.slice(1)}`,
    '',
    '| edit | platform |',
    '|---|---|',
    ...edits
      .filter((edit) => edit.group === group)
      .map((edit) => `| ${edit.name} | ${short(results.get(edit) ?? 'takes no TypeScript')} |`),
  ]);
  return [...lines, ...details].join('\n');
}

// It says nothing of ours, and changes with Node alone.
(WHOLE || process.env.UPDATE_DOCS ? test : test.skip)(
  'everything that the platform changes in place is changed in place here, and the table in the documentation has the same edits',
  async () => {
    const edits = CATALOGUE.filter((edit) => !edit.file.endsWith('.ts'));
    const outcomes = await platform(edits);
    const results = new Map(edits.map((edit, index) => [edit, outcomes[index]!]));
    // That all of them work here is what edits.test.ts shows; a platform that managed none would be no yardstick.
    const managed = outcomes.filter((outcome) => outcome === 'yes').length;
    expect(managed).toBeGreaterThan(40);
    expect(managed).toBeLessThan(edits.length);
    const text = `# Edits of a program that runs

What is changed in place, and how the platform's own live edit does with the same edits. Each line is an edit of the
kept catalogue (\`test/edits/catalogue.ts\`): a text before, something that is held of it, a text after, and what the held
thing must give then. \`npm test\` runs all of them here, and beside them through the open debugging protocol of Node.
This page is made from such a run (Node ${process.version}) with \`UPDATE_DOCS=1 npm test -- test/platform\`.

${tableOf(CATALOGUE, results)}
`;
    if (process.env.UPDATE_DOCS) writeFileSync(page, text);
    const kept = readFileSync(page, 'utf8');
    for (const edit of CATALOGUE) expect(kept).toContain(`| ${edit.name} |`);
  },
);
