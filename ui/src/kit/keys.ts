import { useEffect } from 'react';

const kept = 'single-keys';

/** Whether single keys do something; each browser remembers its own answer (WCAG 2.2, 2.1.4). */
export const singleKeys = () => localStorage.getItem(kept) !== 'off';

export const setSingleKeys = (on: boolean) => (on ? localStorage.removeItem(kept) : localStorage.setItem(kept, 'off'));

/** Single keys, in lower case, that do something where no one types and no dialog is open, unless they are switched off. */
export function useSingleKeys(keys: Record<string, () => void>) {
  useEffect(() => {
    function key(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && event.target.closest('input, textarea, select');
      if (typing || event.ctrlKey || event.metaKey || event.altKey || document.querySelector('[role=dialog]') || !singleKeys()) return;
      const act = keys[event.key.toLowerCase()];
      if (!act) return;
      event.preventDefault(); // else a field that takes the focus would take the key too
      act();
    }
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  });
}
