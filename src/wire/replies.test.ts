import { given, Replies } from '#dist/wire/replies.js';

test('answers find their question, in any order; one that nobody asked for is dropped', async () => {
  const replies = new Replies<string>();
  const numbers: number[] = [];
  const first = replies.ask((ask) => numbers.push(ask));
  const second = replies.ask((ask) => numbers.push(ask));
  replies.answer(99, 'lost');
  replies.answer(numbers[1]!, 'lock 2 is open');
  replies.answer(numbers[0]!, 'lock 1 is shut');
  expect(await Promise.all([first, second])).toEqual(['lock 1 is shut', 'lock 2 is open']);
  expect(replies.open).toBe(0);
});

test('a question that cannot be sent has its own answer at once; one whose answer came while it was sent, too', async () => {
  const replies = new Replies<string>();
  expect(await replies.ask(() => false, 'away')).toBe('away');
  expect(await replies.ask((ask) => replies.answer(ask, 'here'))).toBe('here');
});

test('at the end each question gets what it named for that, the others what is given', async () => {
  const replies = new Replies<string>();
  const named = replies.ask(() => undefined, 'the lock is gone');
  const other = replies.ask(() => undefined);
  replies.end('all gone');
  expect(await Promise.all([named, other])).toEqual(['the lock is gone', 'all gone']);
});

test('a reply that refuses is thrown as the asker words it', () => {
  expect(given<number>({ result: 3 }, (text) => new Error(text))).toBe(3);
  expect(() => given({ error: 'no such lock' }, (text) => new RangeError(`refused: ${text}`))).toThrow(
    new RangeError('refused: no such lock'),
  );
});
