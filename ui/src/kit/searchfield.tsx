import type { Ref } from 'react';

interface SearchFieldProps {
  label: string;
  hint?: string;
  value: string;
  onChange: (text: string) => void;
  className?: string;
  ref?: Ref<HTMLInputElement>;
}

/** A field in which one looks for something; without a hint it shows its name. */
export function SearchField({ label, hint = label, value, onChange, className = '', ref }: SearchFieldProps) {
  return (
    <input
      ref={ref}
      type="search"
      aria-label={label}
      placeholder={hint}
      value={value}
      maxLength={100}
      onChange={(event) => onChange(event.target.value)}
      className={`rounded border border-edge bg-card px-2 text-ink placeholder:text-soft max-desk:min-h-11 ${className}`}
    />
  );
}
