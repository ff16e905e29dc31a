import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { readFileSync } from 'node:fs';
import { type Plugin, defineConfig } from 'vite';

// The sections of the locale file that only some people's screens ask for, that come after the first of them, or that only the server
// writes, on paper; everything else is shared.
const parts: Record<string, string[]> = {
  student: [
    'ack',
    'alternates',
    'claim',
    'closed',
    'course',
    'done',
    'stages',
    'board',
    'contacts',
    'entering',
    'ledger',
    'merged',
    'redoHint',
    'undoHint',
    'undoes',
    'drag',
    'draft',
    'effect',
    'finder',
    'may',
    'proof',
    'hint',
    'order',
    'page',
    'path',
    'recommended',
    'waiting',
    'whatif',
  ],
  later: ['asks', 'beside', 'drafts', 'event', 'explain', 'feed', 'history', 'keys', 'route', 'standing', 'summer', 'warn'],
  account: ['account'],
  family: ['family'],
  print: ['calendar', 'date', 'letter', 'mail', 'paper', 'signOn', 'translation', 'worksheet'],
  reminder: ['reminder'],
  talk: ['talk'],
  signIn: ['signIn'],
  changeRequests: ['changeRequests'],
  result: ['result'],
  seats: ['seats'],
  scheduler: ['demand', 'place', 'sections'],
  teacher: ['teach', 'teacher', 'tryouts'],
  staff: [
    'caseload',
    'change',
    'choosing',
    'data',
    'desks',
    'file',
    'letters',
    'looks',
    'pages',
    'panel',
    'people',
    'policy',
    'prepare',
    'reading',
    'records',
    'rules',
    'courses',
    'together',
    'tokens',
    'hooks',
    'windows',
  ],
};

// Codes of errors whose sentences come with the answer (errors.ts), from the table of codes in Go: make contract writes it.
const said = JSON.parse(readFileSync('codes.json', 'utf8')) as string[];

/** Gives a part of the English locale file: en.json?part=student. */
const words: Plugin = {
  name: 'words',
  enforce: 'pre',
  load(id) {
    const [file, part] = id.split('?part=');
    if (!file || !part) return;
    const all = Object.entries(JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>);
    const apart = Object.values(parts).flat();
    const some = JSON.stringify(
      Object.fromEntries(all.filter(([name]) => (part === 'shared' ? !apart.includes(name) : parts[part]?.includes(name)))),
      (key, value: unknown) => (part === 'shared' && said.includes(key) ? undefined : value),
    );
    return { code: `export default ${some}`, moduleType: 'js' };
  },
};

export default defineConfig({
  plugins: [words, react(), tailwindcss()],
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false }, // a browser without it loads a file a little later, no more
    rolldownOptions: {
      // What all screens share is one file: many small ones cost more in headers than they save.
      output: {
        codeSplitting: {
          groups: [
            {
              name: 'kit',
              test: /src\/(kit\/(?!dialog|pages|keys|searchfield)|shared\/(words|errors|unread)|api\/client|i18n)|node_modules\/(react|react-dom|scheduler|wouter|regexparam|i18next|react-i18next|openapi-fetch|@tanstack\/(react-query|query-core))\//,
            },
            { name: 'student', test: /src\/student\/(student|desk|search|ranks|explain|found|changes)\./ },
          ],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:7270' } },
});
