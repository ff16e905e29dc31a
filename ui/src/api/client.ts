import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import createClient from 'openapi-fetch';
import type { components, paths } from './schema.gen';

export type Sheet = components['schemas']['SheetView'];
export type Catalog = components['schemas']['Catalog'];
export type Course = components['schemas']['Course'];
export type Entry = components['schemas']['Entry'];
export type Effect = components['schemas']['Effect'];
export type Effects = components['schemas']['EffectsView'];
export type Todo = components['schemas']['Todo'];
export type Need = components['schemas']['Need'];
export type Proof = components['schemas']['Proof'];
export type RuleState = components['schemas']['RuleState'];
export type Rule = components['schemas']['Rule'];
export type Edit = components['schemas']['Edit'];
export type Me = components['schemas']['Me'];
export type Person = components['schemas']['Person'];
export type Caseload = components['schemas']['Caseload'];
export type CaseRow = components['schemas']['CaseRow'];
export type Decision = components['schemas']['Decision'];
export type Problem = components['schemas']['Problem'];

export const api = createClient<paths>({ baseUrl: '/' });

/** An error with the server's problem details; without them the server was not reached. */
export class ApiError extends Error {
  constructor(readonly problem?: Problem) {
    super(problem?.detail ?? 'offline');
  }
  get code() {
    return this.problem?.code ?? 'offline';
  }
}

/** Unwraps an answer, so that react-query sees errors as errors. */
export async function ask<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await call;
  } catch {
    throw new ApiError();
  }
  if (answer.error !== undefined || !answer.response.ok) {
    const problem = answer.error as Problem | undefined;
    throw new ApiError(problem && typeof problem === 'object' && 'code' in problem ? problem : undefined);
  }
  return answer.data as T;
}

export const keys = {
  me: ['me'] as const,
  catalog: (school: string) => ['catalog', school] as const,
  sheet: (school: string, student: string) => ['sheet', school, student] as const,
  effects: (sheet: Sheet | undefined) => ['effects', sheet?.school, sheet?.student.id, sheet?.version, sheet?.catalog] as const,
  caseload: (school: string, all: boolean) => ['caseload', school, all] as const,
};

export const useMe = () => useQuery({ queryKey: keys.me, queryFn: () => ask(api.GET('/api/me')) });

export const useCatalog = (school: string) =>
  useQuery({
    queryKey: keys.catalog(school),
    queryFn: () => ask(api.GET('/api/schools/{school}/catalog', { params: { path: { school } } })),
    staleTime: 5 * 60_000,
  });

export const useSheet = (school: string, student: string | undefined) =>
  useQuery({
    queryKey: keys.sheet(school, student ?? ''),
    queryFn: () =>
      ask(
        api.GET('/api/schools/{school}/students/{student}/sheet', {
          params: { path: { school, student: student ?? '' } },
        }),
      ),
    enabled: student !== undefined,
    refetchInterval: 20_000, // another person may change it meanwhile
  });

/** What adding each course would do to a sheet, in one call for each version of it; until it comes, what the version before had. */
export const useEffects = (sheet: Sheet | undefined) =>
  useQuery({
    queryKey: keys.effects(sheet),
    queryFn: () => {
      const path = { school: sheet?.school ?? '', student: sheet?.student.id ?? '' };
      return ask(api.GET('/api/schools/{school}/students/{student}/sheet/effects', { params: { path } }));
    },
    enabled: sheet !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity, // a version's effects stay what they are
    gcTime: 30_000,
    refetchInterval: (query) => (query.state.status === 'error' ? 5_000 : false),
  });

export const useCaseload = (school: string, all: boolean) =>
  useQuery({
    queryKey: keys.caseload(school, all),
    queryFn: () => ask(api.GET('/api/schools/{school}/caseload', { params: { path: { school }, query: { all } } })),
    refetchInterval: 60_000,
  });

type SheetPath = { school: string; student: string };

/** The acts on a sheet, by name; each answers with the judged sheet. */
export const acts = {
  change: (path: SheetPath, body: Edit) => ask(api.POST('/api/schools/{school}/students/{student}/sheet/changes', { params: { path }, body })),
  submit: (path: SheetPath, body: { version: number }) =>
    ask(api.POST('/api/schools/{school}/students/{student}/sheet/submission', { params: { path }, body })),
  sign: (path: SheetPath, body: { version: number; agreed: string[] }) =>
    ask(api.POST('/api/schools/{school}/students/{student}/sheet/signature', { params: { path }, body })),
  wish: (path: SheetPath, body: { version: number; message: string }) =>
    ask(api.POST('/api/schools/{school}/students/{student}/sheet/wish', { params: { path }, body })),
  clear: (path: SheetPath, body: { version: number }) => ask(api.POST('/api/schools/{school}/students/{student}/sheet/clearance', { params: { path }, body })),
  sendBack: (path: SheetPath, body: { version: number; message: string }) =>
    ask(api.POST('/api/schools/{school}/students/{student}/sheet/return', { params: { path }, body })),
  decide: (path: SheetPath, body: Decision) => ask(api.POST('/api/schools/{school}/students/{student}/sheet/decision', { params: { path }, body })),
};

/** Runs an act on a sheet and puts the answer into the cache. An act on an older version brings the sheet as it is. */
export function useAct<B>(path: SheetPath, act: (path: SheetPath, body: B) => Promise<Sheet>) {
  const client = useQueryClient();
  return useMutation<Sheet, ApiError, B>({
    mutationFn: (body) => act(path, body),
    onSuccess: (sheet) => client.setQueryData(keys.sheet(path.school, path.student), sheet),
    onError: (error) => {
      if (error.problem?.sheet) client.setQueryData(keys.sheet(path.school, path.student), error.problem.sheet);
      else if (error.code === 'stale-version') void client.invalidateQueries({ queryKey: keys.sheet(path.school, path.student) });
    },
    scope: { id: `sheet ${path.school} ${path.student}` }, // one after the other
  });
}
