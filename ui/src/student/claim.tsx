import { useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Entry, type Proof, type Sheet, acts, useAct } from '../api/client';
import { attachFile } from '../api/workspace';
import { errorWords } from '../errors';
import { Button, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { needWords } from '../words';
import type { Desk } from './desk';

const kinds = '.pdf,.jpg,.jpeg,.png,.heic,.txt,application/pdf,image/jpeg,image/png,image/heic,text/plain';

/** Says that something a course asks for was met elsewhere: what, where, when, with which mark, and a file that shows it. */
export function ClaimDialog({ desk, entry, need, onClose }: { desk: Desk; entry: Entry; need: Proof; onClose: () => void }) {
  const { t } = useTranslation();
  const id = useId();
  const claim = useAct(desk.place, acts.claim);
  const attach = useAct(desk.place, attachFile);
  const [typed, setTyped] = useState(false);
  const [lost, setLost] = useState<string>();
  const who = desk.sheet.student.counselor ?? t('theCounselor');
  async function send(data: FormData) {
    const text = (name: string) => {
      const value = data.get(name);
      return typeof value === 'string' ? value.trim() : '';
    };
    if (need.kind === 'grade') return;
    const note = [
      text('where') && t('claim.noteOf', { where: text('where') }),
      text('when'),
      text('mark') && t('claim.markOf', { mark: text('mark') }),
      text('note'),
    ]
      .filter(Boolean)
      .join(', ');
    let sheet: Sheet;
    try {
      sheet = await claim.mutateAsync({ version: desk.sheet.version, course: entry.course, kind: need.kind, name: need.name, note });
    } catch {
      return; // it is said in the dialog
    }
    const file = data.get('file');
    const said = [...sheet.requests, ...sheet.summer, ...sheet.alternates].find((e) => e.course === entry.course)?.claims?.at(-1);
    if (file instanceof File && file.size > 0 && said) {
      try {
        await attach.mutateAsync({ claim: said.id, file });
      } catch (error) {
        return setLost(t('claim.fileLost', { why: errorWords(t, error) }));
      }
    }
    onClose();
  }
  const field = 'min-h-9 w-full rounded border border-edge bg-paper px-2';
  return (
    <Dialog open onClose={onClose} keep={typed} title={t('claim.title')}>
      <form
        className="grid gap-2"
        onChange={() => setTyped(true)}
        onSubmit={(event) => {
          event.preventDefault();
          void send(new FormData(event.currentTarget));
        }}
      >
        <p className="font-semibold">{needWords(t, desk.book, need)}</p>
        <div className="grid gap-2 desk:grid-cols-3">
          {(['where', 'when', 'mark'] as const).map((name) => (
            <label key={name} className="text-sm">
              {t(`claim.${name}`)}
              <input name={name} maxLength={120} className={field} />
            </label>
          ))}
        </div>
        <label htmlFor={id} className="text-sm">
          {t('claim.label', { who })}
        </label>
        <textarea id={id} name="note" required maxLength={600} rows={3} className="rounded border border-edge bg-paper p-2" />
        <label className="text-sm">
          {t('claim.file')}
          <input name="file" type="file" accept={kinds} className={`${field} py-1`} />
        </label>
        <p className="text-sm text-soft">{t('claim.who', { who })}</p>
        <Refusal text={lost ?? (claim.error ? errorWords(t, claim.error) : undefined)} />
        <div className="flex gap-2">
          {lost ? (
            <Button tone="dark" onClick={onClose}>
              {t('close')}
            </Button>
          ) : (
            <>
              <Button tone="dark" type="submit" disabled={claim.isPending || attach.isPending}>
                {claim.isPending || attach.isPending ? t('working') : t('claim.send')}
              </Button>
              <Button onClick={onClose}>{t('cancel')}</Button>
            </>
          )}
        </div>
      </form>
    </Dialog>
  );
}

/** Puts a file beside a claim that has none yet. */
export function Attach({ desk, claim }: { desk: Desk; claim: number }) {
  const { t } = useTranslation();
  const attach = useAct(desk.place, attachFile);
  return (
    <label className="block text-sm">
      {t('claim.attach')}
      <input
        type="file"
        accept={kinds}
        disabled={attach.isPending}
        className="block min-h-9 w-full rounded border border-edge bg-paper px-2 py-1"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) attach.mutate({ claim, file });
        }}
      />
      <Refusal text={attach.error ? errorWords(t, attach.error) : undefined} />
    </label>
  );
}
