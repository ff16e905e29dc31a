import * as RadixDialog from '@radix-ui/react-dialog';
import { type ReactNode, useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Button, Refusal } from './controls';

/** A dialog that floats over the page; Escape closes it and the focus goes back. */
export function Dialog(props: { open: boolean; onClose: () => void; keep?: boolean; title: string; children: ReactNode }) {
  const { t } = useTranslation();
  return (
    <RadixDialog.Root open={props.open} onOpenChange={(open) => !open && props.onClose()}>
      <RadixDialog.Portal>
        {/* not Radix’ own overlay, which would insert a style element; the page is held still by styles.css */}
        <div className="fixed inset-0 bg-black/30" />
        <RadixDialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(event) => props.keep && event.preventDefault()}
          onInteractOutside={(event) => props.keep && event.preventDefault()}
          className="fixed top-1/2 left-1/2 max-h-[86vh] w-[min(34rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-md border border-line bg-card p-5 shadow-xl"
        >
          <RadixDialog.Title className="mb-3 font-head text-xl font-medium">{props.title}</RadixDialog.Title>
          {props.children}
          <RadixDialog.Close className="absolute top-3 end-3 min-h-8 rounded px-2 text-sm text-soft hover:bg-wash">{t('close')}</RadixDialog.Close>
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}

/** A dialog that asks for a text before something is done. */
export function TextDialog(props: {
  open: boolean;
  title: string;
  label: string;
  action: string;
  busy: boolean;
  error?: string;
  children?: ReactNode; // what goes with the text
  onClose: () => void;
  onDone: (text: string) => void;
}) {
  const id = useId();
  const { t } = useTranslation();
  const [text, setText] = useState('');
  return (
    // A half-written text is not thrown away by Escape or a click next to it; Cancel does that.
    <Dialog open={props.open} onClose={props.onClose} keep={text.trim() !== ''} title={props.title}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          props.onDone(String(new FormData(event.currentTarget).get('text') ?? ''));
        }}
      >
        <label htmlFor={id} className="mb-1 block text-sm">
          {props.label}
        </label>
        <textarea
          id={id}
          name="text"
          value={text}
          onChange={(event) => setText(event.target.value)}
          required
          maxLength={1000}
          rows={4}
          className="w-full rounded border border-edge bg-paper p-2"
        />
        {props.children}
        <Refusal text={props.error} />
        <div className="mt-3 flex gap-2">
          <Button tone="dark" type="submit" disabled={props.busy}>
            {props.busy ? t('working') : props.action}
          </Button>
          <Button onClick={props.onClose}>{t('cancel')}</Button>
        </div>
      </form>
    </Dialog>
  );
}
