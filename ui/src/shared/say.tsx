import { useId, useState } from 'react';
import { Button } from '../kit/controls';

/** A line to write something on; what is written stays until it has been taken. */
export function Say({ label, action, busy, onSay }: { label: string; action: string; busy: boolean; onSay: (text: string, taken: () => void) => void }) {
  const id = useId();
  const [text, setText] = useState('');
  return (
    <form
      className="mt-1 flex flex-wrap items-end gap-2 pb-1"
      onSubmit={(event) => {
        event.preventDefault();
        onSay(text, () => setText(''));
      }}
    >
      <label htmlFor={id} className="min-w-48 flex-1">
        {label}
        <input
          id={id}
          required
          maxLength={1000}
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="block min-h-11 w-full rounded border border-edge bg-paper px-2 desk:min-h-9"
        />
      </label>
      <Button type="submit" disabled={busy}>
        {action}
      </Button>
    </form>
  );
}
