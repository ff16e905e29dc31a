import i18next from 'i18next';
import { initReactI18next } from 'react-i18next';
import en from '../../locales/en.json?part=shared';

/** More English words, of some people's screens alone; other languages come whole. */
export const speakMore = (words: object) => i18next.addResourceBundle('en', 'translation', words, true);

/** The locale files: a further language is a further file. English is always cached, the others come when they are wanted. */
const files = import.meta.glob<{ default: object }>(['../../locales/*.json', '!../../locales/en.json']);
const tagOf = (file: string) => file.replace(/^.*\/|\.json$/g, '');

/** Translations that no native reader has looked at yet; they have the screens of families and students, and those of the staff are English. */
export const unread = ['ar'];

export const languages = ['en', ...Object.keys(files).map(tagOf)].sort();

/** A language's name in itself. */
export function languageName(tag: string) {
  const name = new Intl.DisplayNames([tag], { type: 'language' }).of(tag) ?? tag;
  return name.charAt(0).toLocaleUpperCase(tag) + name.slice(1);
}

const remembered = 'language';

/** The first of some languages that there is a file for: es-MX is served by es. */
export function closest(wanted: readonly (string | null | undefined)[]) {
  for (const tag of wanted) {
    const found = languages.find((l) => l === tag) ?? languages.find((l) => l === tag?.split('-')[0]);
    if (found) return found;
  }
  return 'en';
}

/** The language of this browser: what was chosen in it, else what it asks for. */
export const ownLanguage = () => closest([localStorage.getItem(remembered), ...navigator.languages]);

/** Speaks a language from now on. */
export async function speak(tag: string) {
  const file = Object.keys(files).find((f) => tagOf(f) === tag);
  if (file && !i18next.hasResourceBundle(tag, 'translation')) {
    const load = files[file];
    if (load) i18next.addResourceBundle(tag, 'translation', (await load()).default);
  }
  if (tag === 'ar') void import('./arabic');
  document.documentElement.dir = i18next.dir(tag); // a screen that is English in it says otherwise once it is drawn
  await i18next.changeLanguage(tag);
  document.documentElement.lang = tag;
}

const pick = 'picked-language';

/** The language that was chosen before signing in: it becomes the person's own. */
export const picked = {
  read: () => sessionStorage.getItem(pick) ?? undefined,
  keep: (tag: string) => sessionStorage.setItem(pick, tag),
  forget: () => sessionStorage.removeItem(pick),
};

/** Remembers a choice in this browser. */
export const remember = (tag: string) => localStorage.setItem(remembered, tag);

void i18next.use(initReactI18next).init({
  lng: 'en',
  fallbackLng: 'en',
  resources: { en: { translation: en } },
  interpolation: { escapeValue: false },
  returnNull: false,
});

export default i18next;
