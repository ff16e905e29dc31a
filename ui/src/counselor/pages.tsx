import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Person, type Year, api, ask, useCatalog } from '../api/client';
import type { components } from '../api/schema.gen';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { money } from '../kit/format';
import { Header } from '../kit/header';
import { staffPages } from '../kit/pages';
import '../shared/staff';

type Found = components['schemas']['PaperView'];
type Box = Found['boxes'][number];

const field = 'mt-0.5 block min-h-9 rounded border border-edge bg-card px-2 max-desk:min-h-11';

const refs = (boxes: Box[], kind: Box['kind']) => boxes.flatMap((b) => (b.kind === kind ? [b.ref] : []));

/** Sheets that come back signed on paper. */
export default function Paper({ person }: { person: Person }) {
  const { t } = useTranslation();
  return (
    <>
      <Header pages={staffPages(t, person)} where={person.name} />
      <main id="page" className="mx-auto max-w-4xl px-4 pt-4 pb-16 desk:px-6">
        <h1 className="mb-1">{t('pages.head')}</h1>
        <p className="mb-3 max-w-2xl text-soft">{t('pages.note')}</p>
        <Pages at={{ school: person.school, year: person.year }} />
      </main>
    </>
  );
}

/** The code of a page is typed or scanned, the signature recorded, a picture of the page kept. */
function Pages({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(at);
  const path = { school: at.school, year: at.year };
  const [code, setCode] = useState('');
  const [who, setWho] = useState('');
  const [ticked, setTicked] = useState<Box[]>([]); // as on the page
  const input = useRef<HTMLInputElement>(null);
  const find = useMutation<Found, Error, string>({
    mutationFn: (text) => ask(api.POST('/api/schools/{school}/years/{year}/pages', { params: { path }, body: { code: text } })),
    onSuccess: () => (setWho(''), setTicked([])),
  });
  const sign = useMutation({
    mutationFn: (guardian: string) =>
      ask(
        api.POST('/api/schools/{school}/years/{year}/pages/signature', {
          params: { path },
          body: { code, guardian, agreed: refs(ticked, 'fee'), commitments: refs(ticked, 'commitment') },
        }),
      ),
    onSuccess: () => ['caseload', 'sheet'].forEach((key) => void client.invalidateQueries({ queryKey: [key] })),
  });
  const scan = useMutation({
    mutationFn: ({ student, file }: { student: string; file: File }) =>
      ask(
        api.PUT('/api/schools/{school}/years/{year}/students/{student}/pages/{guardian}', {
          params: { path: { ...path, student, guardian: who } },
          body: file as unknown as string,
          bodySerializer: (content) => content, // as it is
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      ),
  });
  const again = () => {
    setCode('');
    [find, sign, scan].forEach((m) => m.reset());
    input.current?.focus();
  };
  const paper = find.data;
  const name = paper?.guardians.find((g) => g.id === who)?.name;
  const error = find.error ?? sign.error ?? scan.error;
  return (
    <section aria-label={t('pages.head')} className="max-w-xl">
      <form
        className="mt-1 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          find.mutate(code);
        }}
      >
        <label className="text-sm">
          {t('pages.code')}
          <input
            ref={input}
            autoFocus
            value={code}
            maxLength={100}
            spellCheck={false}
            autoCapitalize="characters"
            onChange={(event) => {
              setCode(event.target.value);
              [find, sign, scan].forEach((m) => m.reset());
            }}
            className={`${field} w-64 font-mono`}
          />
        </label>
        <Button type="submit" disabled={find.isPending || code.trim() === ''}>
          {t('pages.find')}
        </Button>
      </form>
      <Refusal text={error ? errorWords(t, error) : undefined} />
      {paper && !sign.data && (
        <form
          className="mt-2"
          onSubmit={(event) => {
            event.preventDefault();
            sign.mutate(who);
          }}
        >
          <p role="status">{t('pages.found', { name: `${paper.given} ${paper.family}`, grade: paper.grade, count: paper.requests, receipt: paper.receipt })}</p>
          {paper.guardians.length === 0 ? (
            <p className="text-soft">{t('pages.nobody')}</p>
          ) : (
            <>
              <fieldset className="mt-1">
                <legend className="text-sm text-soft">{t('pages.who')}</legend>
                {paper.guardians.map((g) => (
                  <label key={g.id} className="flex min-h-8 items-center gap-2 max-desk:min-h-11">
                    <input
                      type="radio"
                      name="guardian"
                      className="size-5 accent-(--ink)"
                      disabled={g.signed}
                      checked={who === g.id}
                      onChange={() => setWho(g.id)}
                    />
                    {g.signed ? t('pages.signed', { name: g.name }) : g.name}
                  </label>
                ))}
              </fieldset>
              {paper.boxes.length > 0 && (
                <fieldset className="mt-2">
                  <legend className="text-sm text-soft">{t('pages.boxes')}</legend>
                  {paper.boxes.map((b) => (
                    <label key={b.kind + b.ref} className="flex min-h-8 items-start gap-2 py-1 max-desk:min-h-11">
                      <input
                        type="checkbox"
                        className="size-5 shrink-0 accent-(--ink)"
                        checked={ticked.includes(b)}
                        onChange={() => setTicked(ticked.includes(b) ? ticked.filter((x) => x !== b) : [...ticked, b])}
                      />
                      {b.kind === 'fee' && catalog.data
                        ? t('pages.fee', {
                            fee: money(Number(b.what) / 100, catalog.data.currency),
                            course: catalog.data.courses.find((c) => c.code === b.ref)?.title ?? b.ref,
                          })
                        : b.what}
                    </label>
                  ))}
                </fieldset>
              )}
              <Button type="submit" tone="dark" className="mt-2" disabled={!who || sign.isPending || !paper.act.allowed}>
                {t('pages.record')}
              </Button>
              {!paper.act.allowed && <p className="text-sm text-ochre">{t(`error.${paper.act.why}`)}</p>}
            </>
          )}
        </form>
      )}
      {sign.data && (
        <div className="mt-2">
          <p role="status">{scan.isSuccess ? t('pages.kept') : t('pages.recorded', { name })}</p>
          {!scan.isSuccess && (
            <label className="mt-1 block text-sm">
              {t('pages.scan')}
              <input
                type="file"
                accept="image/*,application/pdf"
                capture="environment"
                disabled={scan.isPending}
                onChange={(event) => {
                  const file = event.target.files?.[0];
                  if (file) scan.mutate({ student: sign.data.student, file });
                }}
                className="mt-0.5 block"
              />
            </label>
          )}
          <Button className="mt-2" onClick={again}>
            {t('pages.next')}
          </Button>
        </div>
      )}
    </section>
  );
}
