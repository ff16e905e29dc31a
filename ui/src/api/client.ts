import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import i18next from 'i18next';
import createClient from 'openapi-fetch';
import { useEffect, useRef } from 'react';
import type { components, paths } from './schema.gen';
import { usePaged } from './paged';

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
export type Me = components['schemas']['MeView'];
export type Person = components['schemas']['PersonView'];
export type Caseload = components['schemas']['CaseloadView'];
type ChangeHeard = components['schemas']['ChangeHeard'];
export type Claiming = components['schemas']['Claiming'];
export type Decision = components['schemas']['Decision'];
export type Settling = components['schemas']['Settling'];
export type Problem = components['schemas']['Problem'];
export type Acts = components['schemas']['Acts'];
export type Found = components['schemas']['FoundView'];
export type SignIn = components['schemas']['SignInView'];
export type LetterView = components['schemas']['LetterView'];
export type Session = components['schemas']['SessionView'];
export type Task = components['schemas']['TaskView'];
export type CourseView = components['schemas']['CourseView'];
export type ConditionPart = components['schemas']['ConditionPart'];
export type PathView = components['schemas']['PathView'];
export type PathStop = components['schemas']['PathStop'];
export type PathEntry = components['schemas']['PathEntry'];
export type Happening = components['schemas']['HistoryItem'];
export type Drafts = components['schemas']['DraftsView'];
export type ClassView = components['schemas']['ClassView'];
export type Planning = components['schemas']['Planning'];

/** How long an answer may take before the server counts as not reached; files may take longer. */
const patience = 20_000;

export const api = createClient<paths>({
  baseUrl: '/',
  fetch: (request) => fetch(request, /json/.test(request.headers.get('Content-Type') ?? 'json') ? { signal: AbortSignal.timeout(patience) } : undefined),
});

// The server says what is wrong in the language of the screens.
api.use({
  onRequest({ request }) {
    request.headers.set('Accept-Language', i18next.language);
    return request;
  },
});

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
  catalog: (at: Year, language: string) => ['catalog', at.school, at.year, language] as const,
  sheet: (at: Place) => ['sheet', at.school, at.year, at.student, at.draft ?? 0] as const,
  effects: (sheet: Sheet | undefined, instead?: string) =>
    ['effects', sheet?.school, sheet?.year, sheet?.student.id, sheet?.draft?.id, sheet?.version, sheet?.judged, instead] as const,
  people: (at: Year, name: string) => ['people', at.school, at.year, name] as const,
  sessions: ['sessions'] as const,
  tasks: (at: Year) => ['tasks', at.school, at.year] as const,
};

/** A school year: the calendar year in which it begins. */
export interface Year {
  school: string;
  year: number;
}

/** A sheet: a student's in a school year. */
export interface Place extends Year {
  student: string;
  draft?: number; // a draft beside it, in its place
}

/** Where the server has a sheet, or the draft that is shown. */
export const placeOf = (sheet: Sheet): Place => ({ school: sheet.school, year: sheet.year, student: sheet.student.id, draft: sheet.draft?.id });

export const useMe = () => useQuery({ queryKey: keys.me, queryFn: () => ask(api.GET('/api/me')) });

export const useCatalog = (at: Year | undefined) => {
  const language = i18next.language;
  const path = { school: at?.school ?? '', year: at?.year ?? 0 };
  return useQuery({
    queryKey: keys.catalog(path, language),
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/catalog', { params: { path, query: { language } } })),
    enabled: at !== undefined,
    placeholderData: keepPreviousData, // while another language comes
    staleTime: 5 * 60_000,
  });
};

export const setLanguage = (language: string) => ask(api.PUT('/api/me/language', { body: { language } }));

/** The tags of sheets as the server gave them: a sheet that is still what it was is not judged and sent again. */
const tags = new WeakMap<Sheet, string>();

async function fetchSheet(at: Place, have: Sheet | undefined): Promise<Sheet> {
  const known = have && tags.get(have);
  let answer;
  try {
    answer = await api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet', {
      params: { path: at, query: { draft: at.draft }, header: known ? { 'If-None-Match': known } : undefined },
    });
  } catch {
    throw new ApiError();
  }
  if (have && answer.response.status === 304) return have;
  const sheet = await ask(Promise.resolve(answer));
  const tag = answer.response.headers.get('ETag');
  if (tag) tags.set(sheet, tag);
  return sheet;
}

/** The address of what the server has of a student, for links to files. */
export const studentPath = (at: Place) => `${yearPath(at)}/students/${encodeURIComponent(at.student)}`;

export const yearPath = (at: Year) => `/api/schools/${encodeURIComponent(at.school)}/years/${at.year}`;

/**
 * Hears of what others change while someone looks: each message is led on. It is closed while the page is hidden, since a browser
 * keeps few connections to one server; on coming back everything is looked at again.
 */
export function useLive(path: string | undefined, heard: (message: ChangeHeard) => void) {
  const latest = useRef(heard);
  useEffect(() => {
    latest.current = heard;
  }, [heard]);
  useEffect(() => {
    if (!path) return;
    let source: EventSource | undefined;
    const look = () => {
      source?.close();
      source = undefined;
      if (document.hidden) return;
      source = new EventSource(path);
      source.onmessage = (event) => latest.current(JSON.parse(String(event.data)) as ChangeHeard);
    };
    look();
    document.addEventListener('visibilitychange', look);
    return () => {
      document.removeEventListener('visibilitychange', look);
      source?.close();
    };
  }, [path]);
}

/** The sheets of some students, in their order. */
export const useSheets = (places: Place[]) => {
  const client = useQueryClient();
  return useQueries({
    queries: places.map((place) => ({
      queryKey: keys.sheet(place),
      queryFn: () => fetchSheet(place, client.getQueryData<Sheet>(keys.sheet(place))),
      structuralSharing: false,
    })),
  });
};

export const useSheet = (at: Place | undefined) => {
  const client = useQueryClient();
  const place = at ?? { school: '', year: 0, student: '' };
  useLive(at && `${studentPath(at)}/sheet/live`, (message) => {
    const have = client.getQueryData<Sheet>(keys.sheet(place));
    if (!message.version || !have || message.version > have.version) void client.invalidateQueries({ queryKey: keys.sheet(place) });
  });
  const sheet = useQuery({
    queryKey: keys.sheet(place),
    queryFn: () => fetchSheet(place, client.getQueryData<Sheet>(keys.sheet(place))),
    enabled: at !== undefined,
    refetchInterval: 60_000, // what was not heard
    structuralSharing: false, // a sheet is known by its tag
  });
  // What may be done changes at the moments of the request period, also on a page that is open then; not all pages ask at once.
  const { school, year, student, draft } = place;
  const period = sheet.data?.status.window;
  useEffect(() => {
    const now = Date.now();
    const next = [period?.opens, period?.families, period?.counselors]
      .flatMap((at) => (at ? [Date.parse(at) - now] : []))
      .filter((ms) => ms > 0 && ms < 2 ** 31);
    if (next.length === 0) return;
    const key = keys.sheet({ school, year, student, draft });
    const timer = setTimeout(() => void client.invalidateQueries({ queryKey: key }), Math.min(...next) + 500 + Math.random() * 5_000);
    return () => clearTimeout(timer);
  }, [client, school, year, student, draft, period?.opens, period?.families, period?.counselors, sheet.dataUpdatedAt]);
  return sheet;
};

/**
 * What adding each course would do to a sheet, or putting it in the place of a requested one, in one call for each version of it; until
 * it comes, what the version before had.
 */
export const useEffects = (sheet: Sheet | undefined, instead?: string) =>
  useQuery({
    queryKey: keys.effects(sheet, instead),
    queryFn: () => {
      const path = { school: sheet?.school ?? '', year: sheet?.year ?? 0, student: sheet?.student.id ?? '' };
      return ask(
        api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet/effects', { params: { path, query: { instead, draft: sheet?.draft?.id } } }),
      );
    },
    enabled: sheet !== undefined && !sheet.beyond,
    placeholderData: instead ? undefined : keepPreviousData,
    staleTime: Infinity, // a version's effects stay what they are
    gcTime: 30_000,
    refetchInterval: (query) => (query.state.status === 'error' ? 5_000 : false),
  });

export const usePeople = (at: Year, name: string) =>
  useQuery({
    queryKey: keys.people(at, name),
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/people', { params: { path: at, query: { name } } })),
    enabled: name !== '',
    placeholderData: keepPreviousData,
  });

export const useSessions = (wanted = true) => useQuery({ queryKey: keys.sessions, queryFn: () => ask(api.GET('/api/sessions')), enabled: wanted });

interface Signed {
  version: number;
  reason?: string;
}

/** The acts on a sheet, by name; each answers with the judged sheet. */
export const acts = {
  change: (path: Place, body: Edit) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/changes', { params: { path, query: { draft: path.draft } }, body })),
  claim: (path: Place, body: Claiming) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/claims', { params: { path }, body })),
  submit: (path: Place, body: Signed & { agreed?: string[] }) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/submission', { params: { path }, body })),
  submitSummer: (path: Place, body: Signed) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/summer', { params: { path }, body })),
  sign: (path: Place, body: Signed & { agreed: string[]; commitments?: string[] }) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/signature', { params: { path }, body })),
  wish: (path: Place, body: { version: number; message: string; course?: string; decline?: boolean }) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/wish', { params: { path }, body })),
  withdraw: (path: Place, { id }: { id: number }) =>
    ask(api.DELETE('/api/schools/{school}/years/{year}/students/{student}/sheet/wish/{id}', { params: { path: { ...path, id } } })),
  answer: (path: Place, { id, answer }: { id: number; answer: string }) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/wish/{id}/answer', { params: { path: { ...path, id } }, body: { answer } })),
  clear: (path: Place, body: Signed) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/clearance', { params: { path }, body })),
  reopen: (path: Place, body: Signed) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/reopening', { params: { path }, body })),
  sendBack: (path: Place, body: { version: number; message: string; about?: string[] }) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/return', { params: { path }, body })),
  settle: (path: Place, body: Settling) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/errands', { params: { path }, body })),
  decide: (path: Place, body: Decision) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/sheet/decision', { params: { path }, body })),
};

export const setRight = (at: Year, person: string, give: boolean, reason: string) =>
  ask(api.POST('/api/schools/{school}/years/{year}/people/{person}/right', { params: { path: { ...at, person } }, body: { give, reason } }));

/** What the office has done, the latest first. */
export const useOfficeActs = (at: Year) =>
  usePaged(['office-acts', at.school, at.year], 200, (skip) =>
    ask(api.GET('/api/schools/{school}/years/{year}/office-acts', { params: { path: { school: at.school, year: at.year }, query: { skip } } })),
  );

export const givePassword = (at: Year, person: string, mail?: boolean) =>
  ask(api.POST('/api/schools/{school}/years/{year}/people/{person}/password', { params: { path: { ...at, person }, query: { mail: mail || undefined } } }));

/** Work that takes long; while some is under way it is looked at again and again. */
export const useTasks = (at: Year) =>
  useQuery({
    queryKey: keys.tasks(at),
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/tasks', { params: { path: at } })),
    refetchInterval: (query) => (query.state.data?.some((task) => task.state === 'waiting' || task.state === 'running') ? 700 : 15_000),
  });

export const startImport = (at: Year, file: File) =>
  ask(
    api.POST('/api/schools/{school}/years/{year}/imports', {
      params: { path: at, query: { name: file.name.slice(-200) } },
      body: file as unknown as string, // as it is
      bodySerializer: (body) => body,
      headers: { 'Content-Type': 'application/zip' },
    }),
  );

export const startExport = (at: Year, form: 'zip' | 'xlsx') =>
  ask(api.POST('/api/schools/{school}/years/{year}/exports', { params: { path: at, query: { form } } }));

/** What is told to a task. */
export type Telling = 'consent' | 'stop' | 'omission' | 'undo';

export const tellTask = (at: Year, task: number, act: Telling, removals = 0) =>
  act === 'consent'
    ? ask(api.POST('/api/schools/{school}/years/{year}/tasks/{task}/consent', { params: { path: { ...at, task }, query: { removals } } }))
    : ask(api.POST(`/api/schools/{school}/years/{year}/tasks/{task}/${act}`, { params: { path: { ...at, task } } }));

/** A key by which the server knows a change again whose answer was lost. */
export function newKey() {
  return Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, '0')).join('');
}

/** What may be sent again when its answer was lost: changes carry a key, and the others, done twice, give the same answer. */
const again = new Set<unknown>([acts.change, acts.submit, acts.submitSummer, acts.sign, acts.clear]);

/** Runs an act on a sheet and puts the answer into the cache. An act on an older version brings the sheet as it is. */
export function useAct<B>(path: Place, act: (path: Place, body: B) => Promise<Sheet>) {
  const client = useQueryClient();
  return useMutation<Sheet, ApiError, B>({
    mutationFn: (body) => act(path, body),
    retry: (count, error) => count < 2 && again.has(act) && (error.code === 'offline' || error.problem?.status === 503),
    retryDelay: (_, error) => (error.problem?.wait ?? 0.4) * 1000,
    onSuccess: (sheet) => client.setQueryData(keys.sheet(path), sheet),
    onError: (error) => {
      if (error.problem?.sheet) client.setQueryData(keys.sheet(path), error.problem.sheet);
      else if (error.code === 'stale-version') void client.invalidateQueries({ queryKey: keys.sheet(path) });
    },
    scope: { id: `sheet ${path.school} ${path.year} ${path.student} ${path.draft ?? ''}` }, // one after the other
  });
}
