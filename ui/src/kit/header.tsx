import { useQueryClient } from '@tanstack/react-query';
import { type ReactNode, createContext, useContext } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation } from 'wouter';
import { api, ask, setLanguage } from '../api/client';
import { anyWaits, forgetKept } from '../api/kept';
import { languageName, languages, picked, remember, speak, unread } from '../i18n';

/** One of the things a person comes for: as a guardian, as a counselor of a school… */
export interface Place {
  key: string;
  label: string;
}

/** All that the person who is signed in comes for, and where they are now. */
export const Places = createContext<{ all: Place[]; here?: string; signedIn: boolean }>({ all: [], signedIn: false });

/** Chooses the language; it is the person's own where they are signed in. */
export function LanguageChoice() {
  const { t, i18n } = useTranslation();
  const { signedIn } = useContext(Places);
  return (
    <>
      {unread.includes(i18n.language) && <span className="max-w-56 text-xs text-soft">{t('translation.unread')}</span>}
      <select
        aria-label={t('header.language')}
        value={i18n.language}
        onChange={(event) => {
          const tag = event.target.value;
          remember(tag);
          void speak(tag);
          if (signedIn)
            void setLanguage(tag).catch(() => undefined); // this browser remembers it even so
          else picked.keep(tag);
        }}
        className="min-h-8 rounded border border-line bg-paper px-1 text-sm text-soft"
      >
        {languages.map((tag) => (
          <option key={tag} value={tag} lang={tag}>
            {languageName(tag)}
          </option>
        ))}
      </select>
    </>
  );
}

/** The head of every screen: where one is, and what state things are in. */
export function Header(props: { pages: { to: string; label: string }[]; where?: string; children?: ReactNode }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [at] = useLocation();
  const { all, here } = useContext(Places);
  return (
    <header className="no-print flex flex-wrap items-center gap-x-6 gap-y-1 border-b max-desk:gap-x-3 border-line px-4 py-1 desk:min-h-12 desk:px-6">
      <a href="#page" className="sr-only focus:not-sr-only">
        {t('skip')}
      </a>
      <div className="min-w-0 leading-tight max-desk:flex-1 max-desk:basis-32">
        <span className="font-head text-lg font-medium text-madder">Rubricon</span>
        {props.where && (
          <span data-testid="where" className="block text-xs text-soft">
            {props.where}
          </span>
        )}
      </div>
      {props.pages.length > 0 && (
        <nav aria-label={t('nav.label')} className="flex min-w-0 flex-wrap gap-x-5 max-desk:order-2 max-desk:w-full max-desk:gap-x-3.5">
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
      <div className="order-3 flex w-full flex-wrap items-center gap-x-3 text-sm text-soft empty:hidden max-desk:pb-1 min-[90rem]:order-none min-[90rem]:w-auto min-[90rem]:flex-1 min-[90rem]:justify-end">
        {props.children}
      </div>
      <div className="ms-auto flex items-center gap-x-3 max-desk:order-1">
        <LanguageChoice />
        <Link href="~/account" className="flex min-h-8 items-center text-sm text-soft inked-link">
          {t('nav.account')}
        </Link>
        <button
          type="button"
          className="min-h-8 text-sm text-soft inked-link"
          onClick={() => {
            if (anyWaits() && !window.confirm(t('header.leaving'))) return;
            void ask(api.DELETE('/api/session')).finally(() => {
              client.clear();
              forgetKept();
              window.location.replace('/');
            });
          }}
        >
          {t('signOut')}
        </button>
      </div>
      {all.length > 1 && (
        <nav aria-label={t('header.desks')} className="flex w-full flex-wrap gap-x-5 order-4 border-t border-line text-sm">
          {all.map((place) => (
            <Link
              key={place.key}
              href={`~/d/${place.key}`}
              aria-current={place.key === here ? 'page' : undefined}
              className="flex min-h-8 items-center text-soft inked-link aria-[current=page]:font-semibold aria-[current=page]:text-ink aria-[current=page]:no-underline"
            >
              {place.label}
            </Link>
          ))}
        </nav>
      )}
    </header>
  );
}
