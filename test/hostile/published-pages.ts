/**
 * Pads of strangers that have a document, as a published page runs them in frames: each tries to reach what is not its
 * own. `PORT`: a server that listens.
 */
export const HOSTILE_PAGES: { name: string; code: string; ends?: boolean }[] = [
  { name: 'reads the page around', code: 'try { reached(parent.document.title) } catch {}' },
  { name: 'reads the top page', code: 'try { reached(top!.document.body.innerHTML.length) } catch {}' },
  {
    name: 'takes the way of the runtime',
    code: "try { reached((parent as any)[Symbol.for('usher-anvil.frame')].find) } catch {}",
  },
  { name: 'reads storage of the origin', code: 'try { reached(localStorage.length) } catch {}' },
  {
    name: 'reads cookies',
    code: "try { document.cookie = 'a=1'; if (document.cookie !== '') reached(document.cookie) } catch {}",
  },
  {
    name: 'opens a database of the origin',
    code: "await new Promise((done) => { try { const r = indexedDB.open('secret'); r.onsuccess = () => { reached('database'); done(0) }; r.onerror = done } catch { done(0) } })",
  },
  { name: 'asks a server', code: "await fetch('http://127.0.0.1:PORT/').then(() => reached('fetch'), () => 0)" },
  {
    name: 'shows a picture of a server',
    code: 'document.body.innerHTML = \'<img src="http://127.0.0.1:PORT/picture">\'\nawait new Promise((done) => setTimeout(done, 300))',
  },
  {
    name: 'has a style sheet of a server',
    code: 'document.head.innerHTML = \'<link rel=stylesheet href="http://127.0.0.1:PORT/sheet"><style>@import "http://127.0.0.1:PORT/imported"; body { background: url(http://127.0.0.1:PORT/background) }</style>\'\nawait new Promise((done) => setTimeout(done, 300))',
  },
  {
    name: 'loads a script of a server',
    code: "const script = document.createElement('script')\nscript.src = 'http://127.0.0.1:PORT/script'\ndocument.head.append(script)\nawait new Promise((done) => setTimeout(done, 300))",
  },
  {
    name: 'writes a script of its own',
    code: "const script = document.createElement('script')\nscript.textContent = 'window.ran = 1'\ndocument.head.append(script)\nif ((window as any).ran) reached('script')",
  },
  {
    name: 'sends a form',
    code: 'document.body.innerHTML = \'<form action="http://127.0.0.1:PORT/form" method=post><input name=a value=b></form>\'\ndocument.forms[0]!.submit()\nawait new Promise((done) => setTimeout(done, 300))',
  },
  { name: 'opens a window', code: "if (window.open('http://127.0.0.1:PORT/window')) reached('window')" },
  { name: 'leads the top page away', code: "try { top!.location.href = 'http://127.0.0.1:PORT/top' } catch {}" },
  { name: 'leads its frame away', code: "location.href = 'http://127.0.0.1:PORT/frame'", ends: true },
  {
    name: 'leads its frame away by a line in its head',
    code: 'document.head.innerHTML = \'<meta http-equiv=refresh content="0; url=http://127.0.0.1:PORT/refresh">\'',
    ends: true,
  },
  {
    name: 'has a frame of a server',
    code: "const inner = document.createElement('iframe')\ninner.src = 'http://127.0.0.1:PORT/inner'\ndocument.body.append(inner)\nawait new Promise((done) => setTimeout(done, 300))",
  },
  {
    name: 'makes a frame like its own, with all that such a frame has',
    code: "const inner = document.createElement('iframe')\ninner.srcdoc = '<script>parent.postMessage(typeof RTCPeerConnection, \"*\")</script>'\naddEventListener('message', ({ data }) => reached(data))\ndocument.body.append(inner)\nawait new Promise((done) => setTimeout(done, 400))",
  },
  { name: 'speaks with others directly', code: "if ('RTCPeerConnection' in window) reached('peers')" },
  { name: 'sends a beacon', code: "navigator.sendBeacon('http://127.0.0.1:PORT/beacon', 'x')" },
  {
    name: 'has a link that tells a server',
    code: 'document.body.innerHTML = \'<a href="#" ping="http://127.0.0.1:PORT/ping">here</a>\'\ndocument.querySelector(\'a\')!.click()\nawait new Promise((done) => setTimeout(done, 300))',
  },
  {
    name: 'speaks to the page around as if it were the runtime',
    code: "for (const message of [{ is: 'told', message: { type: 'batch' } }, { is: 'came' }, 'x', null]) parent.postMessage(message, '*')",
  },
  {
    name: 'takes the port of the runtime',
    code: "const native = MessagePort.prototype.postMessage\nMessagePort.prototype.postMessage = function (this: MessagePort, ...all: any[]) { reached('port'); return native.apply(this, all as any) }\nsetTimeout(() => 0, 10)\nawait new Promise((done) => setTimeout(done, 100))",
  },
  { name: 'shows a dialog', code: "alert('REA' + 'CHED')\nif (confirm('x')) reached('confirm')" },
  { name: 'never ends', code: 'for (;;) {}', ends: true },
  { name: 'grows', code: 'const all: unknown[] = []\nfor (;;) all.push(new Array(1e6).fill(all.length))', ends: true },
  {
    name: 'takes the functions of the document away',
    code: "for (const name of ['createElement', 'querySelectorAll', 'append']) delete (Document.prototype as any)[name]",
  },
  { name: 'removes the document', code: 'document.documentElement.remove()' },
];
