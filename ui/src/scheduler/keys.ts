import { useEffect } from 'react';

/** Single keys that do something where nobody types. */
export function useKeys(keys: Record<string, () => void>) {
  useEffect(() => {
    function key(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && event.target.closest('input, textarea, select, [role=dialog]');
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      keys[event.key]?.();
    }
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  });
}
