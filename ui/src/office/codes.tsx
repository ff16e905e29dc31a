import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { ApiError, type Problem, type Year, api, useCatalog } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { Labelled, field } from './fields';

/** Letters with a code for a first sign-in, for all of a grade or their guardians. */
export function Codes({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(at);
  const [grade, setGrade] = useState<number>();
  const [guardians, setGuardians] = useState(false);
  const grades = [...new Set(catalog.data?.courses.flatMap((c) => c.grades) ?? [])].sort((a, b) => a - b);
  const make = useMutation({
    mutationFn: async (body: { grade: number; guardians: boolean }) => {
      const { data, error, response } = await api.POST('/api/schools/{school}/years/{year}/people/codes', {
        params: { path: { school: at.school, year: at.year } },
        body,
        parseAs: 'blob',
      });
      if (error) throw new ApiError(error as Problem);
      const count = (name: string) => Number(response.headers.get(name) ?? 0);
      return { file: data as Blob, letters: count('Rubricon-Letters'), left: count('Rubricon-Left') };
    },
    onSuccess: ({ file, letters }) => {
      void client.invalidateQueries({ queryKey: ['office-acts'] });
      void client.invalidateQueries({ queryKey: ['people'] });
      if (letters === 0) return;
      const link = document.createElement('a');
      link.href = URL.createObjectURL(file);
      link.download = 'codes.pdf';
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
  const chosen = grade ?? grades[0];
  return (
    <section className="no-print mt-8" aria-label={t('people.codes')}>
      <h2 className="font-semibold">{t('people.codes')}</h2>
      <p className="text-sm text-soft">{t('people.codesNote')}</p>
      <form
        className="mt-1 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (chosen !== undefined) make.mutate({ grade: chosen, guardians });
        }}
      >
        <Labelled label={t('people.codesGrade')}>
          <select value={chosen ?? ''} onChange={(event) => setGrade(Number(event.target.value))} className={`${field} block`}>
            {grades.map((g) => (
              <option key={g} value={g}>
                {g}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t('people.codesWhom')}>
          <select
            value={guardians ? 'guardians' : 'students'}
            onChange={(event) => setGuardians(event.target.value === 'guardians')}
            className={`${field} block`}
          >
            {(['students', 'guardians'] as const).map((who) => (
              <option key={who} value={who}>
                {t(`people.codesOf.${who}`)}
              </option>
            ))}
          </select>
        </Labelled>
        <Button type="submit" disabled={make.isPending || chosen === undefined}>
          {make.isPending ? t('working') : t('people.codesMake')}
        </Button>
      </form>
      <p role="status" className="mt-1">
        {make.data && (make.data.letters ? t('people.codesMade', { count: make.data.letters }) : t('people.codesNobody'))}{' '}
        {make.data && make.data.left > 0 && t('people.codesLeft', { count: make.data.left })}
      </p>
      <Refusal text={make.error ? errorWords(t, make.error) : undefined} />
    </section>
  );
}
