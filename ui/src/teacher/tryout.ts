import { useQuery } from '@tanstack/react-query';
import type { TFunction } from 'i18next';
import { type Year, api, ask } from '../api/client';
import type { components } from '../api/schema.gen';

export type Tryout = components['schemas']['TryoutView'];
export type Trying = components['schemas']['TryingView'];
export type Taking = components['schemas']['Taking'];

export const tryoutsKey = (at: Year) => ['tryouts', at.school, at.year] as const;

/** The courses into which the reader takes students; none where they lead none. */
export const useTryouts = (at: Year) =>
  useQuery({
    queryKey: tryoutsKey(at),
    queryFn: () =>
      ask(api.GET('/api/schools/{school}/years/{year}/tryouts', { params: { path: at } })).catch((error: unknown) => {
        if ((error as { code?: string }).code === 'forbidden') return [];
        throw error;
      }),
  });

/** A teacher's pages: the second only for who leads a course. */
export const teacherPages = (t: TFunction, tryouts: Tryout[] | undefined) => [
  { to: '/', label: t('teach.classes') },
  ...(tryouts?.length ? [{ to: '/tryouts', label: t('tryouts.page') }] : []),
];
