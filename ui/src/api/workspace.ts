import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ApiError, type Drafts, type PathView, type Place, type Planning, type Sheet, api, ask } from './client';

// What the student's workspace asks the server next to the sheet.

const keys = {
  course: (sheet: Sheet, course: string) =>
    ['course', sheet.school, sheet.year, sheet.student.id, sheet.draft?.id, sheet.version, sheet.judged, course] as const,
  path: (at: Place) => ['path', at.school, at.year, at.student] as const,
};

/** A course next to a sheet. */
export const useCourse = (sheet: Sheet, course: string) =>
  useQuery({
    queryKey: keys.course(sheet, course),
    queryFn: () => {
      const path = { school: sheet.school, year: sheet.year, student: sheet.student.id, course };
      return ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/courses/{course}', { params: { path, query: { draft: sheet.draft?.id } } }));
    },
    enabled: course !== '',
    placeholderData: (last) => (last?.course === course ? last : undefined),
    staleTime: 60_000,
  });

/** The year that results when some requests cannot be given. */
export const useWhatIf = (sheet: Sheet, lost: string[]) =>
  useQuery({
    queryKey: ['what-if', sheet.school, sheet.year, sheet.student.id, sheet.draft?.id, sheet.version, sheet.judged, ...lost],
    queryFn: () => {
      const path = { school: sheet.school, year: sheet.year, student: sheet.student.id };
      return ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet/what-if', { params: { path, query: { lost, draft: sheet.draft?.id } } }));
    },
    enabled: lost.length > 0,
    placeholderData: keepPreviousData,
  });

/** Courses that would be the most useful as one more alternate. */
export const useHints = (sheet: Sheet, wanted: boolean) =>
  useQuery({
    queryKey: ['hints', sheet.school, sheet.year, sheet.student.id, sheet.draft?.id, sheet.version, sheet.judged],
    queryFn: () => {
      const path = { school: sheet.school, year: sheet.year, student: sheet.student.id };
      return ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet/hints', { params: { path, query: { draft: sheet.draft?.id } } }));
    },
    enabled: wanted,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });

/** A student's whole way, for the sheet as it is. */
export const usePath = (at: Place, sheet: Sheet) =>
  useQuery({
    queryKey: [...keys.path(at), sheet.version, sheet.judged],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/path', { params: { path: at } })),
    placeholderData: keepPreviousData,
  });

/** Changes the plan, and puts the way that it comes to into the cache. */
export function usePlanning(at: Place, sheet: Sheet) {
  const client = useQueryClient();
  return useMutation<PathView, ApiError, Planning>({
    mutationFn: (body) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/plan', { params: { path: at }, body })),
    onSuccess: (path) => client.setQueryData([...keys.path(at), sheet.version, sheet.judged], path),
    onError: () => void client.invalidateQueries({ queryKey: keys.path(at) }),
  });
}

const draftsKey = (at: Place) => ['drafts', at.school, at.year, at.student] as const;

/** The drafts next to a sheet. */
export const useDrafts = (at: Place) =>
  useQuery({
    queryKey: draftsKey(at),
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/drafts', { params: { path: at } })),
  });

/** Makes a draft (of the sheet or another draft), names one, shows it to the family or no longer, or throws one away. */
export function useDrafting(at: Place) {
  const client = useQueryClient();
  return useMutation<Drafts, ApiError, { name: string; from?: number } | { name: string; id: number } | { drop: number } | { show: number; shown: boolean }>({
    mutationFn: (body) => {
      if ('drop' in body)
        return ask(api.DELETE('/api/schools/{school}/years/{year}/students/{student}/drafts/{id}', { params: { path: { ...at, id: body.drop } } }));
      if ('show' in body)
        return ask(
          api.PUT('/api/schools/{school}/years/{year}/students/{student}/drafts/{id}/shown', {
            params: { path: { ...at, id: body.show } },
            body: { shown: body.shown },
          }),
        );
      const { name } = body;
      if ('id' in body)
        return ask(api.PUT('/api/schools/{school}/years/{year}/students/{student}/drafts/{id}', { params: { path: { ...at, id: body.id } }, body: { name } }));
      return ask(
        api.POST('/api/schools/{school}/years/{year}/students/{student}/drafts', { params: { path: at, query: { draft: body.from } }, body: { name } }),
      );
    },
    onSuccess: (drafts) => client.setQueryData(draftsKey(at), drafts),
  });
}

/** Takes the file next to an open claim away. */
export const detachFile = (path: Place, claim: number) =>
  ask(api.DELETE('/api/schools/{school}/years/{year}/students/{student}/claims/{claim}/file', { params: { path: { ...path, claim } } }));

/** Puts a file next to an open claim. */
export const attachFile = (path: Place, body: { claim: number; file: File }) =>
  ask(
    api.POST('/api/schools/{school}/years/{year}/students/{student}/claims/{claim}/file', {
      params: { path: { ...path, claim: body.claim }, query: { name: body.file.name.slice(-200) || 'file' } },
      body: body.file as unknown as string, // as it is
      bodySerializer: (content) => content,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  );
