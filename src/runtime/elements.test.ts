import { Window } from 'happy-dom';
import { JSDOM } from 'jsdom';
import { elementReader } from '#dist/runtime/elements.js';

const { window } = new JSDOM('<body></body>');
const { document } = window;
const markup = elementReader(window)!;

/** The one element that a text stands for. */
function element(text: string): object {
  const holder = document.createElement('div');
  holder.innerHTML = text;
  return holder.firstChild!;
}

describe('elements as markup', () => {
  test.each<[string, string]>([
    ['<p role="status">3 m</p>', '<p role="status">3 m</p>'],
    ['<button disabled>open<!-- gate --> it</button>', '<button disabled="">open it</button>'],
    ['<ul><li>1</li></ul>', '<ul>…</ul>'],
    ['<input>', '<input>'],
    ['<a a="1" b="2" c="3" d="4" e="5">x</a>', '<a a="1" b="2" c="3" d="4" …>x</a>'],
    [`<p title="${'w'.repeat(90)}">${'x'.repeat(90)}</p>`, `<p title="${'w'.repeat(39)}…">${'x'.repeat(39)}…</p>`],
  ])('%s', (text, wanted) => {
    expect(markup(element(text))).toBe(wanted);
  });

  test('are told by what the document gave, whatever is put over it', () => {
    const gate = element('<p>gate</p>');
    Object.defineProperty(gate, 'localName', {
      get: () => {
        throw new Error('never called');
      },
    });
    expect(markup(gate)).toBe('<p>gate</p>');
  });

  test('are the same in another implementation of documents', () => {
    const other = new Window();
    const made = other.document.createElement('p');
    made.setAttribute('class', 'low');
    made.textContent = 'Dun: 1.5 m';
    expect(elementReader(other)!(made)).toBe('<p class="low">Dun: 1.5 m</p>');
  });

  test('are nothing else', () => {
    for (const other of [{}, document, document.createTextNode('a'), Object.create(window.Element.prototype)])
      expect(markup(other as object)).toBeUndefined();
    expect(elementReader({})).toBeUndefined();
    expect(elementReader({ Element: function () {}, Node: {} })).toBeUndefined();
  });
});
