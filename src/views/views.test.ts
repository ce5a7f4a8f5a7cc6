import { join } from 'node:path';
import { runPad } from 'usher-anvil';
import { samplesAt } from 'usher-anvil/record';
import { csvOf, namesOf, numbersOf, shapeOf } from '#dist/views/stream.js';
import { linesView } from '#dist/views/margin.js';
import { isColour, sortedRows, viewsOf, type TableView, type View } from '#dist/views/view.js';
import { folder, recorder } from '../../test/harness.js';

const pad = recorder(join(folder(), 'views.ts'));
afterAll(() => pad.close());

/** The views of an expression's value, as a pad computes it. */
async function views(expression: string): Promise<View[]> {
  const record = await pad.run(`import { show } from 'usher-anvil/pad';\nshow(${expression});\n`);
  return viewsOf(record.shown[0]!.value!);
}

describe('a value is shown by what it is', () => {
  test.each<[string, string, string[]]>([
    ['a colour', "'#1f5e86'", ['swatch']],
    ['a list of colours', "['#fff', 'rgb(1 2 3)', 'hsl(20deg, 10%, 20%)']", ['swatch']],
    ['text with lines', "'a\\nb'", ['text']],
    ['SVG', '\'<svg viewBox="0 0 1 1"></svg>\'', ['svg']],
    ['an address', "'https://wenlow.example:8080/locks?name=Dun%20lock&up=1#top'", ['address']],
    ['a date', 'new Date(0)', ['date']],
    ['numbers', '[1, 2, 5, 3]', ['plot']],
    ['numbers with gaps', '[1, null, 3]', ['plot']],
    ['pairs that rise', '[[0, 1], [1, 4], [2, 9]]', ['plot', 'drawing', 'table']],
    ['pairs in any order', '[[0, 1], [-1, 4]]', ['drawing', 'table']],
    ['points', '[{ x: 1, y: 2 }, { x: 3, y: 4 }]', ['drawing', 'table', 'plot']],
    ['a rectangle', '{ x: 1, y: 2, width: 3, height: 4 }', ['drawing']],
    ['a path', '{ points: [[0, 0], [1, 1], [1, 0]], closed: true }', ['drawing']],
    ['a line', '{ x1: 0, y1: 0, x2: 4, y2: 3 }', ['drawing']],
    ['records', "[{ lock: 'Dun', rise: 8.3 }, { lock: 'Elm', rise: 7 }]", ['table', 'plot']],
    ['named lists of numbers', '{ upper: [1, 2, 3], lower: [3, 2, 1] }', ['plot']],
    ['a typed array', 'Float64Array.of(1, 2, 3)', ['plot']],
    ['bytes of a picture', 'Uint8Array.from([0x89, 0x50, 0x4e, 0x47, ...new Array(40).fill(1)])', ['picture', 'plot']],
    ['pixels', '{ width: 1, height: 2, data: new Uint8ClampedArray(8) }', ['picture']],
    ['a plain word', "'Heron'", []],
    ['a number', '4', []],
    ['mixed things', "[1, 'a', { x: 1 }]", []],
    ['nothing', '[]', []],
  ])('%s', async (_name, expression, expected) => {
    expect((await views(expression)).map((view) => view.view)).toEqual(expected);
  });

  test('parts of an address are decoded and named', async () => {
    const [view] = await views("'https://keeper@wenlow.example:8080/locks/3?name=Dun%20lock&up&x=%ZZ#top'");
    expect(view).toMatchObject({
      parts: [
        { name: 'scheme', text: 'https' },
        { name: 'user', text: 'keeper' },
        { name: 'host', text: 'wenlow.example' },
        { name: 'port', text: '8080' },
        { name: 'path', text: '/locks/3' },
        { name: 'query name', text: 'Dun lock' },
        { name: 'query up', text: '(set)' },
        { name: 'query x', text: '%ZZ' },
        { name: 'fragment', text: 'top' },
      ],
    });
  });

  test('colours are told from words that look alike', () => {
    for (const yes of [
      '#abc',
      '#AABBCC',
      '#aabbccdd',
      'rgb(1, 2, 3)',
      'rgba(1,2,3,.5)',
      'hsl(20 10% 20% / 50%)',
      'oklch(60% 0.1 20)',
    ])
      expect([yes, isColour(yes)]).toEqual([yes, true]);
    for (const no of ['#ab', '#abcde', 'red wine', 'rgb(a,b,c)', '#12345g', 'rgb(1,2,3); x', ''])
      expect([no, isColour(no)]).toEqual([no, false]);
  });

  test(
    'a table sorts numbers by size and texts by the alphabet, ' + 'both ways; rows without a value come last',
    async () => {
      const [table] = (await views("[{ lock: 'Elm', rise: 10 }, { lock: 'alder', rise: 9 }, { lock: 'Birch' }]")) as [
        TableView,
      ];
      const order = (column: number, direction: 1 | -1) =>
        sortedRows(table, column, direction).map((row) => row.cells[0]!.text);
      expect(order(1, 1)).toEqual(['alder', 'Elm', 'Birch']);
      expect(order(1, -1)).toEqual(['Elm', 'alder', 'Birch']);
      expect(order(0, 1)).toEqual(['alder', 'Birch', 'Elm']);
    },
  );

  test('a drawing knows the box around its shapes', async () => {
    const [drawing] = await views('[{ x: -2, y: 1, width: 4, height: 2 }, { x: 10, y: -5, width: 1, height: 1 }]');
    expect(drawing).toMatchObject({ box: [-2, -5, 13, 8] });
  });
});

describe('streams', () => {
  test.each<[string, string | undefined, number[], string[]]>([
    ['upper 4.91 m  chamber -0.6 m', 'upper # m  chamber # m', [4.91, -0.6], ['upper', 'chamber']],
    ['3,1.5,2e3', '#,#,#', [3, 1.5, 2000], ['number 1', 'number 2', 'number 3']],
    ['{ upper: 4, lower: 2 }', '{ upper: #, lower: # }', [4, 2], ['upper', 'lower']],
    ['level 1 level 2', 'level # level #', [1, 2], ['level', 'level 2']],
    ['gate2 opened', undefined, [], []],
    ['nothing here', undefined, [], []],
    ['1 2 3 4 5 6 7 8 9 10 11 12 13', undefined, [], []],
  ])('%s', (text, shape, numbers, names) => {
    expect(shapeOf(text)).toBe(shape);
    if (shape === undefined) return;
    expect(numbersOf(text)).toEqual(numbers);
    expect(namesOf(shape)).toEqual(names);
  });

  test('are exported with a head line, seconds first', () => {
    expect(
      csvOf(
        ['upper', 'a "b"'],
        [
          [1500, 1, 2],
          [2000, 3, 4],
        ],
      ),
    ).toBe('seconds,upper,"a ""b"""\n1.500,1,2\n2.000,3,4\n');
  });
});

describe('what a pad shows on purpose', () => {
  const shown = (text: string) => pad.run(`import { show, plot, table, draw, paint } from 'usher-anvil/pad';\n${text}`);

  test('values come back from show, plot and table, with their place and title', async () => {
    const record = await shown(
      "const same = show([1, 2], 'Levels');\nsame === plot(same) && table([{ a: 1 }]).length;\n",
    );
    expect(record.shown.map((one) => [one.kind, one.title, one.line])).toEqual([
      ['show', 'Levels', 1],
      ['plot', undefined, 2],
      ['table', undefined, 2],
    ]);
    expect(samplesAt(record, { line: 2 }).map((sample) => sample.value.text)).toEqual(['1']);
  });

  test('a drawing is its calls, in order', async () => {
    const record = await shown(
      "draw(40, 20, (c) => {\n  c.fillStyle = '#1f5e86';\n  c.fillRect(1, 2, 3, 4);\n" +
        '  c.save(); c.lineWidth = 3; c.restore();\n  console.log(c.lineWidth, c.canvas.width, ' +
        "c.measureText('ab').width > 1);\n  const g = c.createLinearGradient(0, 0, 1, 1); " +
        "g.addColorStop(0, 'red'); c.strokeStyle = g;\n});\n",
    );
    expect(record.errors).toEqual([]);
    expect(record.console[0]!.text).toBe('1 40 true');
    expect(record.shown[0]!.calls).toEqual([
      ['=', 'fillStyle', '#1f5e86'],
      ['fillRect', 1, 2, 3, 4],
      ['save'],
      ['=', 'lineWidth', 3],
      ['restore'],
      ['linear', 0, 0, 0, 1, 1],
      ['stop', 0, 0, 'red'],
      ['=', 'strokeStyle', { gradient: 0 }],
    ]);
  });

  test('what a recorded drawing cannot do is refused with the way out', async () => {
    const record = await shown('draw(4, 4, (c) => c.getImageData(0, 0, 1, 1));\n');
    expect(record.errors[0]!.message).toMatch(/getImageData is not covered.*Use paint/);
    expect((await shown('draw(0, 4, () => {});\n')).errors[0]!.message).toMatch(/whole numbers above 0/);
    expect((await shown('paint(9000, 9000, () => 1);\n')).errors[0]!.message).toMatch(/too many pixels/);
  });

  test('a painted picture comes coarse at first and ends exact, with the numbers behind it', async () => {
    const record = await shown('paint(64, 48, (x, y) => x + y / 100, { scale: [0, 64] });\nconst after = 1;\n');
    const { pixels } = record.shown[0]!;
    expect([pixels!.block, pixels!.columns, pixels!.rows]).toEqual([1, 64, 48]);
    expect(pixels!.values![5 * 64 + 7]).toBeCloseTo(7.05);
    expect(pixels!.rgba).toHaveLength(64 * 48 * 4);
    expect([...pixels!.rgba.slice(0, 4)]).toEqual([38, 66, 96, 255]);
  });

  test('colours are words, lists and numbers; one that is none is the violet of an error', async () => {
    const record = await shown(
      "paint(4, 1, (x) => ['#ff0000', [0, 255, 0], { colour: 'rgb(0 0 255 / 50%)', value: 8 }, 'nonsense'][x]);\n",
    );
    const { pixels } = record.shown[0]!;
    expect([...pixels!.rgba]).toEqual([255, 0, 0, 255, 0, 255, 0, 255, 0, 0, 255, 127, 122, 63, 194, 128]);
    expect(pixels!.values![2]).toBe(8);
  });

  test('a function that throws at a pixel is an error of its line', async () => {
    const record = await shown(
      "paint(40, 40, (x) => {\n  if (x > 20) throw new RangeError('deep');\n  return x;\n});\n",
    );
    expect([record.errors[0]!.message, record.errors[0]!.range.start.line]).toEqual(['deep', 2]);
  });

  test('a name that the module does not have is an error at the import', async () => {
    const record = await runPad({
      file: join(folder(), 'names.ts'),
      text: "import { sketch } from 'usher-anvil/pad';\nsketch();\n",
    });
    expect(record.errors[0]!.message).toContain("not provide an export named 'sketch'");
  });
});

test('a mark whose condition never holds says so, and shows no value unasked', async () => {
  const text =
    "const words = ['lock', 'gate']\nfor (const it of words) {\n  it.length //~ when: it > 9\n}\nconst n = 4 //~ when: it > 3\n";
  const record = await pad.run(text);
  const beside = linesView(record);
  expect(beside.get(2)!.items.map((item) => item.text)).toEqual(['0 of 2']);
  expect(beside.get(4)!.items.map((item) => [item.text, item.count])).toEqual([['4', '1 of 1']]);
});
