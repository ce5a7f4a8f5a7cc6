/** Pads of strangers, as a published page runs them: each tries to reach what is not its own. `PORT`: a server that listens. */
export const HOSTILE_PUBLISHED: { name: string; code: string; ends?: boolean }[] = [
  { name: 'asks a server', code: "await fetch('http://127.0.0.1:PORT/').then(() => reached('fetch'), () => 0)" },
  {
    name: 'asks a server without an answer',
    code: "await fetch('http://127.0.0.1:PORT/', { mode: 'no-cors' }).then(() => reached('fetch'), () => 0)",
  },
  { name: 'sends a beacon', code: "try { navigator.sendBeacon('http://127.0.0.1:PORT/beacon', 'x') } catch {}" },
  {
    name: 'asks the old way',
    code: "await new Promise((done) => { const r = new XMLHttpRequest(); r.onload = () => { reached('xhr'); done(0) }; r.onerror = done; try { r.open('GET', 'http://127.0.0.1:PORT/xhr'); r.send() } catch { done(0) } })",
  },
  {
    name: 'asks the old way and waits',
    code: "try { const r = new XMLHttpRequest(); r.open('GET', 'http://127.0.0.1:PORT/sync', false); r.send(); reached('sync') } catch {}",
  },
  {
    name: 'opens a socket',
    code: "await new Promise((done) => { try { const s = new WebSocket('ws://127.0.0.1:PORT/socket'); s.onopen = () => { reached('socket'); done(0) }; s.onerror = done } catch { done(0) } })",
  },
  {
    name: 'listens to events of a server',
    code: "await new Promise((done) => { try { const s = new EventSource('http://127.0.0.1:PORT/events'); s.onopen = () => { reached('events'); done(0) }; s.onerror = () => { s.close(); done(0) } } catch { done(0) } })",
  },
  {
    name: 'imports a module',
    code: "await import('http://127.0.0.1:PORT/module.js').then(() => reached('import'), () => 0)",
  },
  {
    name: 'imports from data',
    code: "await import('data:text/javascript,export default 1').then(() => reached('import data'), () => 0)",
  },
  {
    name: 'imports scripts',
    code: "try { (globalThis as any).importScripts('http://127.0.0.1:PORT/script.js'); reached('importScripts') } catch {}",
  },
  {
    name: 'imports scripts from its own blob',
    code: 'try { (globalThis as any).importScripts(URL.createObjectURL(new Blob([\'fetch("http://127.0.0.1:PORT/inner")\']))) } catch {}',
  },
  {
    name: 'makes a worker that asks',
    code: 'try { new Worker(URL.createObjectURL(new Blob([\'fetch("http://127.0.0.1:PORT/worker")\']))) } catch {}\nawait new Promise((done) => setTimeout(done, 300))',
  },
  { name: 'makes a worker from a server', code: "try { new Worker('http://127.0.0.1:PORT/worker.js') } catch {}" },
  {
    name: "reads the page's own file",
    code: "await fetch('PAGE').then((a) => a.text()).then((t) => reached('own page', t.length), () => 0)",
  },
  {
    name: 'reads a file of the disk',
    code: "await fetch('file:///etc/hostname').then((a) => a.text()).then((t) => reached('disk', t), () => 0)",
  },
  { name: 'reads storage of the origin', code: 'try { reached((globalThis as any).localStorage.secret) } catch {}' },
  {
    name: 'opens a database of the origin',
    code: "await new Promise((done) => { try { const r = indexedDB.open('secret'); r.onsuccess = () => { reached('database'); done(0) }; r.onerror = done } catch { done(0) } })",
  },
  { name: 'lists databases', code: 'try { reached((await indexedDB.databases()).length) } catch {}' },
  { name: 'opens a cache', code: "try { await caches.open('secret'); reached('cache') } catch {}" },
  {
    name: 'opens the private file system',
    code: "try { await navigator.storage.getDirectory(); reached('files') } catch {}",
  },
  {
    name: 'reads cookies',
    code: "try { const all = await (globalThis as any).cookieStore.getAll(); if (all.length) reached('cookies', all) } catch {}",
  },
  {
    name: 'listens to other pages',
    code: "try { const c = new BroadcastChannel('secret'); c.onmessage = (e) => reached(e.data); await new Promise((done) => setTimeout(done, 400)); c.close() } catch {}",
  },
  {
    name: 'takes a lock of the origin',
    code: "try { const held = await navigator.locks.query(); if (held.held!.length) reached('locks') } catch {}",
  },
  {
    name: 'registers a service worker',
    code: "try { await (navigator as any).serviceWorker.register('http://127.0.0.1:PORT/sw.js'); reached('service worker') } catch {}",
  },
  {
    name: 'looks for a document',
    code: "if (typeof document !== 'undefined' || typeof window !== 'undefined') reached('document')",
  },
  {
    name: 'looks for a parent',
    code: "if (typeof (globalThis as any).parent !== 'undefined' || typeof (globalThis as any).opener !== 'undefined') reached('parent')",
  },
  {
    name: 'goes elsewhere',
    code: "try { (globalThis as any).location.href = 'http://127.0.0.1:PORT/away'; (globalThis as any).location.assign?.('http://127.0.0.1:PORT/away') } catch {}",
  },
  { name: 'connects peers', code: "try { new (globalThis as any).RTCPeerConnection(); reached('peers') } catch {}" },
  {
    name: 'asks for notifications',
    code: "try { if ((globalThis as any).Notification?.permission === 'granted') reached('notifications') } catch {}",
  },
  { name: 'speaks as the runtime: an end', code: "postMessage({ type: 'settled', id: 1, durationMs: 0 })" },
  {
    name: 'speaks as the runtime: nonsense',
    code: "postMessage({ type: 'batch', id: 1, batch: { samples: { length: 'x' } } })",
    ends: true,
  },
  { name: 'speaks as the runtime: no object', code: 'postMessage(null as any)', ends: true },
  {
    name: 'speaks as the runtime: another type',
    code: "postMessage({ type: 'reveal', html: '<img src=x onerror=x=1>' })",
    ends: true,
  },
  { name: 'floods its page', code: "for (let i = 0; i < 20000; i++) postMessage({ type: 'pong' })", ends: true },
  { name: 'never ends', code: 'for (;;) {}', ends: true },
  { name: 'never ends, and says that it is well', code: "for (;;) postMessage({ type: 'pong' })", ends: true },
  {
    name: 'never ends in a promise',
    code: 'const again = (): Promise<void> => Promise.resolve().then(again)\nawait again()',
    ends: true,
  },
  { name: 'grows', code: 'const all: unknown[] = []\nfor (;;) all.push(new Array(1e6).fill(all.length))', ends: true },
  { name: 'closes itself', code: '(globalThis as any).close()', ends: true },
  {
    name: 'takes messages for others',
    code: "addEventListener('message', (event) => event.stopImmediatePropagation(), true)",
  },
  { name: 'takes the way back', code: '(globalThis as any).postMessage = () => 0' },
  {
    name: 'changes what the runtime stands on',
    code: "Array.prototype.push = () => 0 as any; JSON.stringify = () => 'x'; Map.prototype.get = () => undefined as any; Promise.prototype.then = function () { return this as any }",
    ends: true,
  },
  {
    name: 'changes all prototypes',
    code: "Object.defineProperty(Object.prototype, 'polluted', { get() { return 'x' }, configurable: true })",
  },
  {
    name: 'shows markup',
    code: "console.log('<img src=x onerror=\"window.x=1\"><script>window.x=1</script>')\nconst html = '<img src=x onerror=window.x=1>'\nthrow new Error(html)",
    ends: true,
  },
  { name: 'ends the element that carries it', code: "console.log('</scr' + 'ipt><script>window.x=1</script><!-- ')" },
  {
    name: 'names that are keys of objects',
    code: "const __proto__ = 1\nconst constructor = 2\nconsole.log({ ['__proto__']: { x: 1 } }, __proto__, constructor)",
  },
  { name: 'shares memory', code: 'try { new SharedArrayBuffer(8); } catch {}' },
  { name: 'asks for the clipboard', code: 'try { reached(await (navigator as any).clipboard.readText()) } catch {}' },
];

/** Fragments of addresses that are no links of ours, or ask for more than one may. */
export const HOSTILE_LINKS: { name: string; make(fold: (value: unknown) => string): string; says?: RegExp }[] = [
  { name: 'of a later version', make: () => '#usher-anvil/link@9,abc', says: /later version/ },
  {
    name: 'that is cut',
    make: (fold) => `#usher-anvil/link@1,${fold({ name: 'a.ts', text: 'x', last: [] }).slice(0, 20)}`,
    says: /not whole/,
  },
  { name: 'that is no base64', make: () => '#usher-anvil/link@1,%%%<script>', says: /not whole/ },
  {
    name: 'that unfolds to a gigabyte',
    make: (fold) => `#usher-anvil/link@1,${fold({ name: 'a.ts', text: ' '.repeat(30_000_000), last: [] })}`,
    says: /not whole/,
  },
  {
    name: 'whose name leads elsewhere',
    make: (fold) => `#usher-anvil/link@1,${fold({ name: '../state/x.ts', text: '1', last: [] })}`,
    says: /not whole/,
  },
  {
    name: 'whose files lead elsewhere',
    make: (fold) =>
      `#usher-anvil/link@1,${fold({ name: 'a.ts', text: "import './b.ts'", files: { '../state/b.ts': '1' }, last: [] })}`,
    says: /not whole/,
  },
  {
    name: 'whose name is markup',
    make: (fold) => `#usher-anvil/link@1,${fold({ name: '<img src=x>.ts', text: '1', last: [] })}`,
    says: /not whole/,
  },
  {
    name: 'that tells the window to write',
    make: (fold) =>
      `#usher-anvil/link@1,${fold({ name: 'a.ts', text: 'let quiet = 1', last: [{ type: 'rewrite', file: 'a.ts', edits: [{ from: 0, to: 0, insert: 'REWRITTEN' }] }] })}`,
  },
  {
    name: 'that brings packages',
    make: (fold) =>
      `#usher-anvil/link@1,${fold({ name: 'a.ts', text: 'let quiet = 1', last: [], packages: { code: 'window.x=1', names: ['fathom'] } })}`,
  },
  {
    name: 'that wants to run at once',
    make: (fold) => `#usher-anvil/link@1,${fold({ name: 'a.ts', text: "console.log('RAN')", last: [], runs: true })}`,
  },
  { name: 'that is no object', make: (fold) => `#usher-anvil/link@1,${fold(null)}`, says: /not whole/ },
];
