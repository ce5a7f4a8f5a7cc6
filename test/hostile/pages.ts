/** Pages that try to reach what is not theirs, or to stop what shows them. What succeeds calls `reached`. */

export interface HostilePage {
  name: string;
  /** `PORT` stands for the workbench's. */
  code: string;
  /** It never ends, or ends its frame. */
  ends?: true;
}

const tries = (code: string): string => `try { ${code} } catch {}`;

export const HOSTILE_PAGES: readonly HostilePage[] = [
  { name: 'navigates the top window', code: tries("top!.location.href = 'about:blank'") },
  { name: 'navigates the workbench by its parent', code: tries("parent.parent.location.replace('about:blank')") },
  { name: 'reads the workbench’s document', code: tries('reached(parent.parent.document.title)') },
  { name: 'reads the workbench’s address', code: tries('reached(parent.parent.location.href)') },
  { name: 'writes a variable of the workbench', code: tries('(top as any).x = 1; reached()') },
  { name: 'opens a window', code: "if (window.open('about:blank')) reached()" },
  {
    name: 'follows a link to the top',
    code: "const a = document.createElement('a'); a.href = 'about:blank'; a.target = '_top'; document.body.append(a); a.click()",
  },
  {
    name: 'follows a link to a new window',
    code: "const a = document.createElement('a'); a.href = 'about:blank'; a.target = '_blank'; document.body.append(a); a.click()",
  },
  {
    name: 'submits a form to the top',
    code: "const f = document.createElement('form'); f.action = 'about:blank'; f.target = '_top'; document.body.append(f); f.submit()",
  },
  {
    name: 'posts messages to the workbench',
    code: "for (let i = 0; i < 5_000; i++) top!.postMessage({ type: 'welcome', i }, '*')",
  },
  {
    name: 'registers a service worker',
    code: "document.body; navigator.serviceWorker.register('/sw.js').then(() => reached(), () => undefined)",
  },
  {
    name: 'asks the workbench for its page',
    code: "document.body; fetch('http://127.0.0.1:PORT/').then((r) => r.text()).then(() => reached(), () => undefined)",
  },
  {
    name: 'asks the workbench by another name',
    code: "document.body; fetch('http://localhost:PORT/', { mode: 'no-cors' }).then((r) => r.text()).then((t) => t && reached(), () => undefined)",
  },
  {
    name: 'joins the workbench as a window',
    code: "document.body; for (const host of ['127.0.0.1', 'localhost', location.hostname]) new WebSocket(`ws://${host}:PORT/window?token=x`).onopen = () => reached()",
  },
  {
    name: 'shows the workbench in a frame of its own',
    code: "const f = document.createElement('iframe'); f.src = 'http://127.0.0.1:PORT/'; document.body.append(f); try { f.contentWindow!.eval('1'); if (f.contentDocument?.querySelector('.cm-editor')) reached() } catch {}",
  },
  {
    name: 'loads a script of the workbench',
    code: "const s = document.createElement('script'); s.src = 'http://127.0.0.1:PORT/assets/'; s.onload = () => reached(); document.body.append(s)",
  },
  {
    name: 'reads files beside its folder',
    code: "document.body; for (const path of ['/../secret.txt', '/%2e%2e/secret.txt', '/..%2fsecret.txt', '/.env', '/link.txt', '/%00', '//etc/passwd']) fetch(path).then(async (r) => r.ok && (await r.text()).includes('SECRET') && reached(path), () => undefined)",
  },
  {
    name: 'shows dialogs',
    code: "document.body; for (let i = 0; i < 50; i++) { alert('x'); confirm('x'); prompt('x') }; print()",
  },
  { name: 'shows dialogs without end', code: "document.body; for (;;) alert('x')", ends: true },
  { name: 'goes round', code: 'document.body; for (;;);', ends: true },
  {
    name: 'goes round in microtasks',
    code: 'document.body; const again = (): unknown => Promise.resolve().then(again); again()',
    ends: true,
  },
  { name: 'recurses', code: 'document.body; const f = (n: number): number => f(n + 1) + 1; try { f(0) } catch {}' },
  {
    name: 'fills the storage',
    code: tries("document.body; for (let i = 0; i < 100; i++) localStorage.setItem(`k${i}`, 'x'.repeat(1e6))"),
  },
  {
    name: 'keeps a database',
    code: "document.body; const r = indexedDB.open('x'); r.onupgradeneeded = () => r.result.createObjectStore('s'); caches?.open('x').catch(() => undefined)",
  },
  {
    name: 'sets cookies for all',
    code: "document.cookie = 'a=b; domain=localhost; path=/'; document.cookie = 'token=1; path=/'",
  },
  {
    name: 'takes another origin',
    code: tries("document.domain = 'localhost'; reached(parent.parent.document)"),
  },
  {
    name: 'walks the history',
    code: 'document.body; for (let i = 0; i < 30; i++) history.pushState(null, "", `#${i}`); history.go(-40)',
  },
  {
    name: 'replaces what is ours',
    code: "document.body; JSON.stringify = () => 'x'; Array.prototype.push = () => 0; Object.prototype.toString = () => 'x'; (globalThis as any).WebSocket = undefined",
  },
  {
    name: 'makes everything a promise',
    code: 'document.body; (Object.prototype as any).then = (f: any) => f(1); setTimeout(() => delete (Object.prototype as any).then, 100)',
  },
  {
    name: 'speaks on our channel',
    ends: true,
    code: "document.body; const port = (parent as any)[Symbol.for('usher-anvil.frame')]; port.tell(window, { type: 'stopped', id: 1 }); port.tell(window, 'x')",
  },
  {
    name: 'joins the channel as another frame',
    code: 'document.body; const s = new WebSocket(`ws://${location.host}/@usher-anvil/channel`); s.onopen = () => { for (let i = 0; i < 50; i++) s.send(\'{"type":"batch"}\'); s.close() }',
  },
  { name: 'sends the frame away', code: "document.body; parent.location.href = 'about:blank'", ends: true },
  { name: 'empties the frame', code: "document.body; parent.document.body.innerHTML = ''", ends: true },
  {
    name: 'prints markup',
    code: "document.body; console.log('<img src=x onerror=top.x=1><script>top.x=1</script>'); console.table([{ a: '<b>x</b>' }])",
  },
  { name: 'prints a flood', code: "document.body; for (let i = 0; i < 20_000; i++) console.log('flood', i)" },
  {
    name: 'starts workers without end',
    code: "document.body; const url = URL.createObjectURL(new Blob(['for(;;);'])); for (let i = 0; i < 4; i++) new Worker(url); setTimeout(() => location.reload(), 300)",
    ends: true,
  },
  {
    name: 'asks for the clipboard, the place and the camera',
    code: 'document.body; navigator.clipboard?.readText().then(() => reached(), () => undefined); navigator.geolocation?.getCurrentPosition(() => reached())',
  },
  {
    name: 'holds the window when it closes',
    code: "document.body; onbeforeunload = (event) => { event.preventDefault(); return 'stay' }",
  },
  {
    name: 'takes the keys',
    code: "const input = document.createElement('input'); document.body.append(input); input.focus(); setInterval(() => input.focus(), 20)",
  },
  {
    name: 'writes another document',
    code: "document.body; document.open(); document.write('<h1>other</h1>'); document.close()",
  },
  {
    name: 'grows without bound',
    code: 'const list: unknown[] = [document.body]; setInterval(() => { for (let i = 0; i < 40; i++) list.push(new Array(500_000).fill(i)) }, 10)',
    ends: true,
  },
];
