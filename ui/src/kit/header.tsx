import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation } from 'wouter';
import { api, ask } from '../api/client';

/** The pages of the school office. */
export function officePages(t: ReturnType<typeof useTranslation>['t']) {
  return [
    { to: '/', label: t('nav.caseload') },
    { to: '/people', label: t('people.nav') },
  ];
}

/** The head of every screen: where one is, and what state things are in. */
export function Header(props: { pages: { to: string; label: string }[]; children?: ReactNode }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [at] = useLocation();
  return (
    <header className="no-print flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-line px-4 py-1 desk:min-h-12 desk:px-6">
      <a href="#page" className="sr-only focus:not-sr-only">
        {t('skip')}
      </a>
      <span className="font-head text-lg font-semibold text-madder">Rubricon</span>
      {props.pages.length > 0 && (
        <nav aria-label={t('nav.label')} className="flex gap-5">
          {props.pages.map((page) => (
            <Link
              key={page.to}
              href={page.to}
              aria-current={at === page.to ? 'page' : undefined}
              className="flex min-h-11 items-center border-b-2 border-transparent text-soft aria-[current=page]:border-ink aria-[current=page]:font-semibold aria-[current=page]:text-ink"
            >
              {page.label}
            </Link>
          ))}
        </nav>
      )}
      <div className="flex flex-wrap items-center gap-x-3 text-sm text-soft max-desk:order-last max-desk:w-full max-desk:pb-1 desk:flex-1 desk:justify-end">
        {props.children}
      </div>
      <Link href="/account" className="flex min-h-8 items-center text-sm text-soft inked-link max-desk:ml-auto">
        {t('account.link')}
      </Link>
      <button
        type="button"
        className="min-h-8 text-sm text-soft inked-link"
        onClick={() => {
          void ask(api.DELETE('/api/session')).finally(() => {
            client.clear();
            window.location.assign('/');
          });
        }}
      >
        {t('signOut')}
      </button>
    </header>
  );
}
