// Frameworks that draw pages and answer requests with a development server of their own: small copies of how people write them.
const TOLL = `export function tollOf(length: number) {
  const base = 4
  const rate = length > 20 ? 0.5 : 0.25
  return base + length * rate
}
`;
const json = (value) => JSON.stringify(value, null, 2);

const framework = (name, file, install, files, more = {}) => ({
  name,
  kind: 'rendered',
  file,
  look: 'tollOf',
  value: /tollOf\(length: number\).*length 14[\s\S]*7\.5/,
  edit: { from: 'base + length * rate', to: 'base + length * rate + 100', seen: /toll (?:<!-- -->)?107\.5/ },
  /** What is compared: frameworks put times and hashes beside it. */
  drawn: /<p\b[^>]*>toll[\s\S]*?<\/button>/,
  dependencies: [],
  install,
  files: { [file]: TOLL, ...files },
  ...more,
});

const manifest = (dev, dependencies) => json({ private: true, type: 'module', scripts: { dev }, dependencies });

export const FRAMEWORKS = [
  framework('SvelteKit', 'src/lib/toll.ts', true, {
    'package.json': manifest('vite dev --port $PORT', {
      '@sveltejs/kit': '^2',
      '@sveltejs/vite-plugin-svelte': '^6',
      svelte: '^5',
      vite: '^7',
    }),
    'vite.config.js':
      "import { sveltekit } from '@sveltejs/kit/vite'\nimport { defineConfig } from 'vite'\n\nexport default defineConfig({ plugins: [sveltekit()] })\n",
    'src/app.html':
      '<!doctype html>\n<html lang="en">\n<head>%sveltekit.head%</head>\n<body><div style="display: contents">%sveltekit.body%</div></body>\n</html>\n',
    'src/routes/+page.server.ts':
      "import { tollOf } from '$lib/toll'\n\nexport function load({ url }) {\n  const toll = tollOf(Number(url.searchParams.get('length') ?? 14))\n  return { toll }\n}\n",
    'src/routes/toll/+server.ts':
      "import { tollOf } from '$lib/toll'\nimport { json } from '@sveltejs/kit'\n\nexport function GET() {\n  return json({ toll: tollOf(30) })\n}\n",
    'src/routes/+page.svelte':
      '<script lang="ts">\n  let { data } = $props()\n  let boats = $state(0)\n</script>\n\n<p>toll {data.toll}</p>\n<button onclick={() => boats++}>boats {boats}</button>\n',
  }),
  framework('React Router', 'app/toll.ts', true, {
    'package.json': manifest('react-router dev --port $PORT', {
      '@react-router/dev': '7.18.4',
      '@react-router/node': '7.18.4',
      '@react-router/serve': '7.18.4',
      isbot: '^5',
      react: '^19',
      'react-dom': '^19',
      'react-router': '7.18.4',
      typescript: '^5',
      vite: '^7',
    }),
    'vite.config.ts':
      "import { reactRouter } from '@react-router/dev/vite'\nimport { defineConfig } from 'vite'\n\nexport default defineConfig({ plugins: [reactRouter()] })\n",
    'react-router.config.ts': 'export default { ssr: true }\n',
    'tsconfig.json': json({
      include: ['**/*'],
      compilerOptions: {
        target: 'ES2022',
        module: 'ES2022',
        moduleResolution: 'bundler',
        jsx: 'react-jsx',
        noEmit: true,
        strict: true,
        skipLibCheck: true,
      },
    }),
    'app/routes.ts':
      "import { index, route } from '@react-router/dev/routes'\n\nexport default [index('routes/home.tsx'), route('api/toll', 'routes/api.ts')]\n",
    'app/root.tsx': `import { Links, Meta, Outlet, Scripts } from 'react-router'

export default function App() {
  return (
    <html lang="en">
      <head>
        <Meta />
        <Links />
      </head>
      <body>
        <Outlet />
        <Scripts />
      </body>
    </html>
  )
}
`,
    'app/routes/api.ts':
      "import { tollOf } from '../toll'\n\nexport async function loader() {\n  return Response.json({ toll: tollOf(30) })\n}\n",
    'app/routes/home.tsx': `import { useState } from 'react'
import { tollOf } from '../toll'

export async function loader() {
  return { toll: tollOf(14) }
}

export default function Home({ loaderData }: { loaderData: { toll: number } }) {
  const [boats, setBoats] = useState(0)
  return (
    <main>
      <p>toll {loaderData.toll}</p>
      <button onClick={() => setBoats(boats + 1)}>boats {boats}</button>
    </main>
  )
}
`,
  }),
  framework('Astro', 'src/toll.ts', true, {
    'package.json': manifest('astro dev --port $PORT', { astro: '^5' }),
    'src/pages/index.astro': `---
import { tollOf } from '../toll'
const toll = tollOf(14)
---
<html lang="en">
<head><meta charset="utf-8" /><title>Wenlow</title></head>
<body><p>toll {toll}</p><button>boats 0</button></body>
</html>
`,
    'src/pages/toll.ts':
      "import { tollOf } from '../toll'\n\nexport async function GET() {\n  return new Response(JSON.stringify({ toll: tollOf(30) }))\n}\n",
  }),
];
