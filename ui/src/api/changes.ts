import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ApiError, type Place, api, ask } from './client';
import type { components } from './schema.gen';

export type Enrolled = components['schemas']['EnrolledView'];
export type StayView = components['schemas']['StayView'];
export type DatedPut = components['schemas']['DatedPut'];
export type DatedEffect = components['schemas']['DatedEffectView'];

const pathOf = (at: Place) => ({ school: at.school, year: at.year, student: at.student });

export const useEnrolled = (at: Place) =>
  useQuery({
    queryKey: ['enrolled', at.school, at.year, at.student],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/enrollments', { params: { path: pathOf(at) } })),
    refetchInterval: (query) => (query.state.data?.going ? 10_000 : 60_000),
  });

/** What a change would do, from what is enrolled now. */
export const useTrial = (at: Place, enrolled: Enrolled | undefined, change: DatedPut | undefined) =>
  useQuery({
    queryKey: ['change-trial', at.school, at.year, at.student, enrolled?.stays, change],
    queryFn: () =>
      ask(
        api.POST('/api/schools/{school}/years/{year}/students/{student}/enrollments/trial', {
          params: { path: pathOf(at) },
          body: change ?? { on: '' },
        }),
      ),
    enabled: enrolled !== undefined && change !== undefined,
    placeholderData: keepPreviousData,
  });

export function useChange(at: Place) {
  const client = useQueryClient();
  return useMutation<Enrolled, ApiError, DatedPut>({
    mutationFn: (body) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/enrollments', { params: { path: pathOf(at) }, body })),
    onSuccess: (enrolled) => client.setQueryData(['enrolled', at.school, at.year, at.student], enrolled),
    onSettled: () => ['change-trial', 'seats', 'choosing'].forEach((key) => void client.invalidateQueries({ queryKey: [key] })),
  });
}
