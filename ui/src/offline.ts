import { type QueryClient, dehydrate } from '@tanstack/react-query';
import { shown } from './api/kept';

const wanted = new Set<unknown>(['me', 'catalog', 'sheet', 'effects', 'path', 'drafts']);
let keeping = false;

/**
 * Has the browser keep the built files, so that a page opens again without the network, and keeps what was last shown in this window
 * until it is closed or someone signs out.
 */
export function keepHere(client: QueryClient) {
  if (keeping) return;
  keeping = true;
  if ('serviceWorker' in navigator) void keepFiles().catch(() => undefined); // without it a page only opens with the network
  let soon: ReturnType<typeof setTimeout> | undefined;
  const look = () => {
    soon ??= setTimeout(() => {
      soon = undefined;
      const state = dehydrate(client, { shouldDehydrateQuery: (q) => q.state.data !== undefined && wanted.has(q.queryKey[0]) && q.isActive() });
      try {
        shown.put(JSON.stringify(state));
      } catch {
        // More than a browser keeps: then a page only opens with the network.
      }
    }, 500);
  };
  look();
  client.getQueryCache().subscribe((event) => event.type === 'updated' && event.action.type === 'success' && look());
}

async function keepFiles() {
  await navigator.serviceWorker.register('/files.js');
  const { active } = await navigator.serviceWorker.ready;
  const files = performance.getEntriesByType('resource').map((entry) => new URL(entry.name));
  active?.postMessage(['/', ...files.filter((url) => url.origin === location.origin && url.pathname.startsWith('/assets/')).map((url) => url.pathname)]);
}
