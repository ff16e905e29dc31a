import i18next from 'i18next';

/** The reader's language as the browser's formats know it: English as it is written where weekdays come first, Arabic with the digits of the printed sheet. */
const locale = () => ({ en: 'en-GB', ar: 'ar-u-nu-latn' })[i18next.language] ?? i18next.language;

const numbers = new Map<string, Intl.NumberFormat>();

function numberFormat(key: string, options: Intl.NumberFormatOptions) {
  const at = `${locale()} ${key}`;
  let format = numbers.get(at);
  if (!format) numbers.set(at, (format = new Intl.NumberFormat(locale(), options)));
  return format;
}

/** An amount in hundredths at most: 6, 6.5, 0.25. */
export const amount = (n: number) => numberFormat('amount', { maximumFractionDigits: 2, useGrouping: false }).format(n);

/** A count of things that may be many: 1,200. */
export const whole = (n: number) => numberFormat('whole', { maximumFractionDigits: 0 }).format(n);

/** A count for a sentence: what chooses its form, and how it is written. */
export const counted = (n: number) => ({ count: n, n: whole(n) });

/** Money in a currency; whole amounts without decimals. */
export const money = (n: number, currency: string) =>
  numberFormat(`money ${currency} ${n % 1 === 0}`, { style: 'currency', currency, minimumFractionDigits: n % 1 === 0 ? 0 : 2 }).format(n);

/** The plural form (CLDR) that a number takes in the reader's language. */
export const plural = (n: number) => new Intl.PluralRules(locale()).select(n);

/** A date and time in a zone, with weekday and, where the zone is the school's, its name. */
export function when(iso: string, zone?: string) {
  return new Intl.DateTimeFormat(locale(), {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    timeZone: zone,
    timeZoneName: zone ? 'short' : undefined,
  }).format(new Date(iso));
}

/** A day, or a day and time, as a school writes it in its own zone: 2027-05-12 or 2027-05-12T15:30. */
export function day(written: string) {
  const time = written.includes('T');
  return new Intl.DateTimeFormat(locale(), {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    ...(time ? { hour: '2-digit', minute: '2-digit' } : {}),
    timeZone: 'UTC', // it is written as it is meant
  }).format(new Date(`${written}${time ? ':00' : 'T00:00:00'}Z`));
}

/** A school year as it is written: 2027-28. */
export const yearLabel = (start: number) => `${start}-${String((start + 1) % 100).padStart(2, '0')}`;

/** The school years before one in which something may have been earned, the latest first. */
export const pastYears = (start: number) => Array.from({ length: 8 }, (_, i) => yearLabel(start - 1 - i));

/** The day that it is in a zone, as a school writes it: 2027-05-12. */
export const today = (zone: string) => new Intl.DateTimeFormat('sv', { timeZone: zone }).format(new Date());

export const clock = (iso: string) => new Intl.DateTimeFormat(locale(), { hour: '2-digit', minute: '2-digit' }).format(new Date(iso));
