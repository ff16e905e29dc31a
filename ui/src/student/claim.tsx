import { useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Entry, type Proof, type Sheet, acts, useAct } from '../api/client';
import { attachFile, detachFile } from '../api/workspace';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { pastYears } from '../kit/format';
import { needWords } from '../shared/words';
import type { Desk } from './desk';

const kinds = '.pdf,.jpg,.jpeg,.png,.heic,.txt,application/pdf,image/jpeg,image/png,image/heic,text/plain';

const field = 'min-h-9 w-full rounded border border-edge bg-paper px-2';

function Line({ name }: { name: 'where' | 'term' | 'mark' }) {
  const { t } = useTranslation();
  return (
    <label className="text-sm">
      {t(`claim.${name}`)}
      <input name={name} maxLength={100} className={field} />
    </label>
  );
}

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
    const [schoolYear, term, mark] = [text('schoolYear'), text('term'), text('mark')];
    const note = [
      text('where') && t('claim.noteOf', { where: text('where') }),
      [schoolYear, term].filter(Boolean).join(' '),
      mark && t('claim.markOf', { mark }),
      text('note'),
    ]
      .filter(Boolean)
      .join(', ');
    let sheet: Sheet;
    try {
      sheet = await claim.mutateAsync({ version: desk.sheet.version, course: entry.course, kind: need.kind, name: need.name, note, schoolYear, term, mark });
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
        <div className="grid gap-2 desk:grid-cols-2">
          <Line name="where" />
          <label className="text-sm">
            {t('claim.schoolYear')}
            <select name="schoolYear" defaultValue="" className={field}>
              <option value="">{t('claim.noYear')}</option>
              {pastYears(desk.place.year).map((year) => (
                <option key={year}>{year}</option>
              ))}
            </select>
          </label>
          <Line name="term" />
          <Line name="mark" />
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

/** Puts a file next to a claim, in place of one that is there, or takes that away. */
export function Attach({ desk, claim }: { desk: Desk; claim: { id: number; file?: string } }) {
  const { t } = useTranslation();
  const attach = useAct(desk.place, attachFile);
  const detach = useAct(desk.place, detachFile);
  const busy = attach.isPending || detach.isPending;
  const error = attach.error ?? detach.error;
  return (
    <>
      {claim.file && (
        <button type="button" disabled={busy} className="ms-2 min-h-6 text-sm inked-link" onClick={() => detach.mutate(claim.id)}>
          {t('claim.detach', { file: claim.file })}
        </button>
      )}
      <label className="block text-sm">
        {t(claim.file ? 'claim.replace' : 'claim.attach')}
        <input
          key={claim.file}
          type="file"
          accept={kinds}
          disabled={busy}
          className="block min-h-9 w-full rounded border border-edge bg-paper px-2 py-1"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) attach.mutate({ claim: claim.id, file });
          }}
        />
      </label>
      <Refusal text={error ? errorWords(t, error) : undefined} />
    </>
  );
}
