/** Windows, a server and its disk, which come and go in every order: all end up equal, and nothing typed is lost. */
import { EditorState, Text, type Transaction } from '@codemirror/state';
import fc from 'fast-check';
import { changesBetween, textOf } from '#dist/sharing/changes.js';
import { JoinedText, type AcceptedMessage, type Draft, type WholeText } from '#dist/sharing/joined-text.js';
import { SharedText } from '#dist/sharing/shared-text.js';

const lines = fc
  .array(fc.constantFrom('', 'const lock = 1', 'gate()', '// Wenlow', 'a', 'ab', '\t}', 'Schleuse 🚢'), {
    maxLength: 30,
  })
  .map((all) => all.join('\n'));

test('from one text to another', () => {
  fc.assert(
    fc.property(lines, lines, (before, after) => {
      const changes = changesBetween(textOf(before), textOf(after));
      expect(changes.apply(textOf(before)).toString()).toBe(after);
    }),
    { numRuns: 3_000 },
  );
});

test('small changes stay small, also between many lines; line ends of all kinds are the same', () => {
  const text = Array.from({ length: 5_000 }, (_, i) => `lock${i}()`);
  const after = [...text];
  after[10] = 'lock10(1)';
  after.splice(4_000, 1);
  after.push('last()');
  const changes = changesBetween(Text.of(text), Text.of(after));
  let inserted = 0;
  changes.iterChanges((_a, _b, _c, _d, piece) => (inserted += piece.length));
  expect(inserted).toBe('1'.length + '\nlast()'.length);
  expect(changesBetween(textOf('a\r\nb\rc'), textOf('a\nb\nc')).empty).toBe(true);
});

/** A server that can be ended and started, with what it keeps. */
class Server {
  shared: SharedText;
  kept: { text: string; clocks: Record<string, number> } | undefined;
  keeps = true;
  windows = new Set<TestWindow>();
  starts = 0;

  constructor(public disk: string) {
    this.shared = new SharedText(disk, 'epoch 0');
  }

  whole(): WholeText {
    const { text, epoch, version, clocks } = this.shared;
    return { text, epoch, version, clocks };
  }

  receive(window: TestWindow): void {
    const edits = window.outbox.shift();
    if (!edits) return;
    const { version } = this.shared;
    const accepted = this.shared.take(JSON.parse(JSON.stringify(edits)) as typeof edits);
    if (!accepted) {
      window.inbox.push({ whole: this.whole() });
      return;
    }
    this.tell(version, accepted);
  }

  tell(version: number, accepted: { client: string; changes: { toJSON(): unknown } }[]): void {
    if (this.keeps) this.kept = { text: this.shared.text, clocks: this.shared.clocks };
    const updates = accepted.map(({ client, changes }) => ({ client, changes: changes.toJSON() }));
    for (const one of this.windows)
      one.inbox.push({ accepted: { epoch: this.shared.epoch, version, updates, kept: this.keeps } });
  }

  write(text: string): void {
    const { version } = this.shared;
    this.tell(version, this.shared.replace(text));
  }

  restart(): void {
    for (const window of [...this.windows]) window.cut();
    const { text, clocks } = this.kept ?? { text: this.disk, clocks: {} };
    this.shared = new SharedText(text, `epoch ${++this.starts}`, clocks);
  }
}

type Told = { whole: WholeText } | { accepted: AcceptedMessage };

class TestWindow {
  state!: EditorState;
  joined!: JoinedText;
  inbox: Told[] = [];
  outbox: NonNullable<ReturnType<JoinedText['edits']>>[] = [];
  connected = false;
  met = false;

  constructor(
    readonly server: Server,
    readonly client: string,
  ) {
    this.connect();
    this.begin(server.whole());
  }

  begin(whole: WholeText): void {
    this.joined = new JoinedText(whole, this.client);
    this.state = EditorState.create({ doc: textOf(whole.text), extensions: [this.joined.extension] });
    this.met = true;
  }

  dispatch(transaction: Transaction): void {
    this.state = transaction.state;
  }

  connect(): void {
    if (this.connected) return;
    this.connected = true;
    this.server.windows.add(this);
    this.inbox = [{ whole: this.server.whole() }];
    this.outbox = [];
  }

  cut(): void {
    this.connected = false;
    this.met = false;
    this.server.windows.delete(this);
    this.inbox = [];
    this.outbox = [];
    this.joined.interrupted();
  }

  type(at: number, remove: number, insert: string): void {
    const from = Math.min(at, this.state.doc.length);
    const to = Math.min(from + remove, this.state.doc.length);
    this.dispatch(this.state.update({ changes: { from, to, insert } }));
    this.send();
  }

  send(): void {
    const edits = this.connected && this.met ? this.joined.edits(this.state) : undefined;
    if (edits) this.outbox.push(edits);
  }

  read(): void {
    const told = this.inbox.shift();
    if (!told) return;
    if ('whole' in told) {
      this.joined.meet(this, JSON.parse(JSON.stringify(told.whole)) as WholeText);
      this.met = true;
    } else if (this.met && !this.joined.accepted(this, told.accepted)) this.inbox.push({ whole: this.server.whole() });
    this.send();
  }

  /** The page is loaded anew, with its draft. */
  reload(draft: Draft | undefined, client: string): TestWindow {
    this.cut();
    const next = new TestWindow(this.server, client);
    const whole = this.server.whole();
    const lacks = draft && next.joined.restored(next.state, JSON.parse(JSON.stringify(draft)) as Draft, whole);
    if (lacks) next.dispatch(next.state.update({ changes: lacks.changes }));
    next.read();
    return next;
  }
}

type Step =
  | { do: 'type'; who: number; at: number; remove: number; mark: number }
  | { do: 'receive' | 'read' | 'cut' | 'connect' | 'reload'; who: number }
  | { do: 'restart' | 'disk' | 'keep' | 'lose' };

const who = fc.nat(2);
const step = fc.oneof(
  {
    weight: 6,
    arbitrary: fc.record({
      do: fc.constant('type' as const),
      who,
      at: fc.nat(60),
      remove: fc.constant(0),
      mark: fc.nat(),
    }),
  },
  { weight: 8, arbitrary: fc.record({ do: fc.constantFrom('receive' as const, 'read' as const), who }) },
  {
    weight: 2,
    arbitrary: fc.record({ do: fc.constantFrom('cut' as const, 'connect' as const, 'reload' as const), who }),
  },
  { weight: 1, arbitrary: fc.record({ do: fc.constantFrom('restart' as const, 'keep' as const, 'lose' as const) }) },
);

function settle(windows: TestWindow[], server: Server): void {
  for (const window of windows) window.connect();
  for (let round = 0; round < 400; round++)
    for (const window of windows) {
      window.read();
      window.send();
      server.receive(window);
    }
}

test.each([
  ['that types only', 0],
  ['that also takes away', 4],
])('windows end up equal, in a session %s, and nothing typed is lost or there twice', (_name, most) => {
  fc.assert(
    fc.property(fc.array(step, { maxLength: 80 }), (steps) => {
      const server = new Server('const lock = 1\nlet gate = 2\n');
      const windows = [0, 1, 2].map((one) => new TestWindow(server, `window ${one}`));
      const typed: string[] = [];
      let loads = 0;
      for (const one of steps as Step[]) {
        if ('who' in one) {
          const window = windows[one.who]!;
          if (one.do === 'type') {
            // Each keystroke is one of a kind, so that it can be found again.
            typed.push(String.fromCharCode(0xe000 + typed.length));
            window.type(one.at, most && one.mark % most, typed[typed.length - 1]!);
          } else if (one.do === 'receive') server.receive(window);
          else if (one.do === 'read') window.read();
          else if (one.do === 'cut') window.cut();
          else if (one.do === 'connect') window.connect();
          else windows[one.who] = window.reload(window.joined.draft(window.state), `load ${++loads}`);
        } else if (one.do === 'restart') server.restart();
        else server.keeps = one.do === 'keep';
      }
      server.keeps = true;
      settle(windows, server);
      server.tell(server.shared.version, []);
      settle(windows, server);
      for (const window of windows) expect(window.state.doc.toString()).toBe(server.shared.text);
      for (const window of windows) expect(window.joined.isPending(window.state)).toBe(false);
      if (most === 0) for (const text of typed) expect(server.shared.text.split(text)).toHaveLength(2);
    }),
    { numRuns: 1_500 },
  );
});

test('what another program wrote comes in between, and edits on it stay', () => {
  const server = new Server('one\ntwo\nthree\n');
  const window = new TestWindow(server, 'window');
  window.type(0, 0, 'mine ');
  server.write('one\ntwo and a half\nthree\n');
  settle([window], server);
  expect(server.shared.text).toBe('mine one\ntwo and a half\nthree\n');
  expect(window.state.doc.toString()).toBe(server.shared.text);
});

test('changes that fit no text are refused, and change nothing', () => {
  const shared = new SharedText('lock\n', 'epoch');
  const edits = { epoch: 'epoch', version: 0, client: 'window', first: 1 };
  for (const change of [[3], [[6]], 'x', null, [[2, 'a'], 'b'], [-1, [6, 'x']], {}])
    expect(() => shared.take({ ...edits, changes: [change] })).toThrow();
  expect(shared.take({ ...edits, epoch: 'other', changes: [[5]] })).toBeUndefined();
  expect(shared.take({ ...edits, version: 7, changes: [[5]] })).toBeUndefined();
  expect(shared.take({ ...edits, first: 3, changes: [[5]] })).toBeUndefined();
  expect(shared.text).toBe('lock\n');
});

test('a window that is far behind gets the whole text', () => {
  const shared = new SharedText('', 'epoch');
  for (let i = 0; i < 12_000; i++)
    shared.take({
      epoch: 'epoch',
      version: i,
      client: 'window',
      first: i + 1,
      changes: [[i, [0, 'x']].slice(i === 0 ? 1 : 0)],
    });
  expect(shared.version).toBe(12_000);
  expect(shared.take({ epoch: 'epoch', version: 0, client: 'late', first: 1, changes: [[[0, 'y']]] })).toBeUndefined();
  expect(
    shared.take({ epoch: 'epoch', version: 11_999, client: 'late', first: 1, changes: [[[0, 'y'], 11_999]] }),
  ).toHaveLength(1);
});

test('two windows replace the same letter, and what one types behind it stays where it is for all', () => {
  const server = new Server('let gate = 2\n');
  const windows = [new TestWindow(server, 'one'), new TestWindow(server, 'two')];
  windows[0]!.type(11, 1, '3');
  windows[1]!.type(0, 0, '/');
  windows[0]!.type(12, 0, '4');
  windows[1]!.type(12, 1, '5');
  settle(windows, server);
  for (const window of windows) expect(window.state.doc.toString()).toBe(server.shared.text);
});

test('a window that is loaded anew while the server cannot keep what is typed has nothing twice', () => {
  const server = new Server('gate\n');
  const [one, two] = [new TestWindow(server, 'one'), new TestWindow(server, 'two')];
  server.keeps = false;
  one.read();
  two.read();
  two.type(0, 0, 'their ');
  server.receive(two);
  one.type(5, 0, 'mine\n');
  one.read();
  const again = one.reload(one.joined.draft(one.state), 'again');
  settle([again, two], server);
  expect(server.shared.text).toBe('their gate\nmine\n');
  expect(again.state.doc.toString()).toBe(server.shared.text);
});
