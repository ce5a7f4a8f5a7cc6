import { alreadyDone } from '#dist/session/live/holding/already-done.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

/** What a function may have done before the line with `here`. */
function before(text: string): string[] {
  const outline = outlineOf(parse(text, { file: '/canal/tolls.ts', packageType: 'module' }));
  const line = text.split('\n').findIndex((one) => one.includes('here'));
  return alreadyDone(outline, line).map(({ line: at, text: what, is }) => `${at + 1} ${is}: ${what}`);
}

test('writes to properties and outer names, changed lists, and calls; not what is local', () => {
  expect(
    before(`let count = 0
const tolls = []
async function settle(boat, book) {
  const due = boat.tonnes * rate(boat)
  let extra = 0
  extra += 2
  count++
  tolls.push(due)
  const own = []
  own.push(1)
  own.list = 2
  boat.paid = true
  delete boat.due
  await fetch('/tolls')
  console.log(due.toFixed(2), JSON.stringify(own), Math.max(1, 2))
  const gate = book.gates
  gate.open = true
  here(own)
  boat.later = 1
}`),
  ).toEqual([
    '4 call: rate(boat)',
    '7 write: count++',
    '8 write: tolls.push(due)',
    '12 write: boat.paid = true',
    '13 write: delete boat.due',
    "14 call: fetch('/tolls')",
    '15 call: console.log(due.toFixed(2), JSON.stringify(own), Math.max(1,…',
    '17 write: gate.open = true',
  ]);
});

test('the other branch has not run; of a loop all may have, in an earlier turn; functions that are only made have not', () => {
  expect(
    before(`function pass(lock, boats) {
  if (lock.isOpen) {
    lock.count = 1
  } else {
    lock.count = 2
  }
  for (const boat of boats) {
    boat.seen = true
    if (boat.wide) {
      lock.wide = true
    } else {
      here()
    }
    boat.passed = true
  }
  const later = () => { lock.level = 3 }
}`),
  ).toEqual([
    '3 write: lock.count = 1',
    '5 write: lock.count = 2',
    '8 write: boat.seen = true',
    '10 write: lock.wide = true',
    '12 call: here()',
    '14 write: boat.passed = true',
  ]);
  expect(
    before(`const fill = (lock) => {
  if (lock.broken) lock.alarm = true
  else {
    lock.level++
    const raise = function () {
      lock.level = 9
    }
    here(raise)
  }
}`),
  ).toEqual(['4 write: lock.level++']);
  expect(before('const short = (lock) =>\n  here(lock)')).toEqual([]);
});

test('what a list is given to call has run', () => {
  expect(
    before(`function pass(boats, book) {
  const dues = boats.filter((boat) => boat.tonnes > 1).map((boat) => {
    boat.seen = true
    const own = { due: 1 }
    own.due = 2
    return book.rate(boat)
  })
  here(dues)
}`),
  ).toEqual(['3 write: boat.seen = true', '6 call: book.rate(boat)']);
});
