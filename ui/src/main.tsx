import '../fonts/fonts.css';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { ApiError } from './api/client';
import { App } from './app';
import './i18n';
import './styles.css';

const client = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => count < 2 && error instanceof ApiError && error.code === 'offline',
      staleTime: 5_000,
      networkMode: 'always',
    },
    mutations: { networkMode: 'always' }, // an act that cannot be kept must say so, not wait
  },
});

const root = document.getElementById('root');
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <App />
      </QueryClientProvider>
    </StrictMode>,
  );
