import { type ButtonHTMLAttributes, forwardRef } from 'react';
import { useTranslation } from 'react-i18next';

type Tone = 'plain' | 'dark' | 'chief';

const tones: Record<Tone, string> = {
  plain: 'border-edge bg-card text-ink hover:bg-wash',
  dark: 'border-ink bg-ink text-paper hover:opacity-90',
  chief: 'border-madder bg-madder text-on-madder hover:opacity-90',
};

export const Button = forwardRef<HTMLButtonElement, ButtonHTMLAttributes<HTMLButtonElement> & { tone?: Tone }>(function Button(
  { tone = 'plain', className = '', ...rest },
  ref,
) {
  return (
    <button
      ref={ref}
      type="button"
      className={`no-print min-h-11 rounded border px-3 py-1 disabled:opacity-60 desk:min-h-8 ${tones[tone]} ${className}`}
      {...rest}
    />
  );
});

/** What was refused and what would make it possible; read out when it appears. */
export function Refusal({ text }: { text: string | undefined }) {
  return (
    <div role="alert" className={text ? 'mt-2 rounded border p-2 hatch' : ''}>
      {text && <span className="rounded bg-card px-1 text-ochre">{text}</span>}
    </div>
  );
}

export function Loading() {
  const { t } = useTranslation();
  return (
    <p role="status" className="p-6 text-soft">
      {t('loading')}
    </p>
  );
}
