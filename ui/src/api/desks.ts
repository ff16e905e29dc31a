import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef } from 'react';
import { type Year, api, ask, useLive, yearPath } from './client';
import type { components } from './schema.gen';
import { usePaged } from './paged';

type Schema = components['schemas'];
export type Caseload = Schema['CaseloadView'];
export type CaseRow = Schema['CaseRow'];
export type CaseWait = Schema['CaseWait'];
export type SavedView = Schema['SavedView'];
export type Batching = Schema['Batching'];
export type BatchOutcome = Schema['BatchOutcome'];
export type SheetOutcome = Schema['SheetOutcome'];
export type BatchView = Schema['BatchView'];
export type Choosing = Schema['Choosing'];
export type CohortView = Schema['CohortView'];
export type Member = Schema['Member'];

/** What chooses students of a caseload, as an address has it. */
export type Filter = Partial<Record<'all' | 'stage' | 'reason' | 'grade' | 'program' | 'course' | 'counselor' | 'text', string>>;

const path = (at: Year) => ({ school: at.school, year: at.year });

/** A caseload by a filter; what changes on a sheet is heard, and the list read again at most every few seconds. */
export const useCaseload = (at: Year, filter: Filter) => {
  const client = useQueryClient();
  const soon = useRef<ReturnType<typeof setTimeout>>(undefined);
  useLive(`${yearPath(at)}/caseload/live`, () => {
    soon.current ??= setTimeout(() => {
      soon.current = undefined;
      void client.invalidateQueries({ queryKey: ['caseload', at.school, at.year] });
    }, 3_000);
  });
  return useQuery({
    queryKey: ['caseload', at.school, at.year, filter],
    queryFn: () =>
      ask(
        api.GET('/api/schools/{school}/years/{year}/caseload', { params: { path: path(at), query: { ...filter, all: filter.all === 'true' || undefined } } }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: 60_000,
  });
};

/** Filters of the caseload that the reader keeps by name. */
export const useViews = (at: Year) =>
  useQuery({
    queryKey: ['views', at.school, at.year],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/caseload/views', { params: { path: path(at) } })),
  });

export const saveView = (at: Year, body: SavedView) => ask(api.POST('/api/schools/{school}/years/{year}/caseload/views', { params: { path: path(at) }, body }));

export const dropView = (at: Year, name: string) =>
  ask(api.DELETE('/api/schools/{school}/years/{year}/caseload/views', { params: { path: path(at), query: { name } } }));

/** What an act on many sheets would do. */
export const tryBatch = (at: Year, body: Batching) => ask(api.POST('/api/schools/{school}/years/{year}/batches/trial', { params: { path: path(at) }, body }));

export const doBatch = (at: Year, body: Batching) => ask(api.POST('/api/schools/{school}/years/{year}/batches', { params: { path: path(at) }, body }));

export const takeBack = (at: Year, batch: number, reason: string, student?: string) =>
  ask(api.POST('/api/schools/{school}/years/{year}/batches/{batch}/return', { params: { path: { ...path(at), batch } }, body: { reason, student } }));

/** The latest acts on many sheets at once, or those that concern one student. */
export const useBatches = (at: Year, student?: string) =>
  usePaged(['batches', at.school, at.year, student], 100, (skip) =>
    ask(api.GET('/api/schools/{school}/years/{year}/batches', { params: { path: path(at), query: { student, skip } } })),
  );

export const chooseCohort = (at: Year, body: Choosing) => ask(api.POST('/api/schools/{school}/years/{year}/cohort', { params: { path: path(at) }, body }));

/** A condition as it is read, a moment after it was last changed. */
export const useReading = (at: Year, text: string) =>
  useQuery({
    queryKey: ['condition', at.school, at.year, text],
    queryFn: () => ask(api.POST('/api/schools/{school}/years/{year}/conditions', { params: { path: path(at) }, body: { text } })),
    enabled: text.trim() !== '',
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
export type ReadPart = Schema['ReadPart'];

/** Whose the rows of a list of records are, and what cannot be read in them. */
export const readRecords = (at: Year, text: string) =>
  ask(api.POST('/api/schools/{school}/years/{year}/records', { params: { path: path(at) }, body: { text } }));
export type RecordsRead = Schema['RecordsRead'];
export type RecordView = Schema['RecordView'];
export type Revising = Schema['Revising'];
export type RulesView = Schema['RulesView'];
export type RevisionView = Schema['RevisionView'];
export type RuleStanding = Schema['RuleStanding'];
export type CourseEdit = Schema['CourseEdit'];

/** What the rules and courses of a school year are read from. */
export const useRules = (at: Year) =>
  useQuery({
    queryKey: ['rules', at.school, at.year],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/rules', { params: { path: path(at) } })),
    refetchOnWindowFocus: false, // a draft stands on it
  });

/** What other rules or courses would do to the real sheets. */
export const useTrial = (at: Year, body: Revising | undefined) =>
  useQuery({
    queryKey: ['rules', 'trial', at.school, at.year, body],
    queryFn: () => ask(api.POST('/api/schools/{school}/years/{year}/rules/trial', { params: { path: path(at) }, body: body ?? { catalog: 0, policy: 0 } })),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });

export const revise = (at: Year, body: Revising) => ask(api.POST('/api/schools/{school}/years/{year}/rules', { params: { path: path(at) }, body }));

export const useVersions = (at: Year) =>
  useQuery({
    queryKey: ['rules', 'versions', at.school, at.year],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/rules/versions', { params: { path: path(at) } })),
  });

export const rulesOf = (at: Year, version: number) =>
  ask(api.GET('/api/schools/{school}/years/{year}/rules/versions/{version}', { params: { path: { ...path(at), version } } }));
export type WindowRow = Schema['WindowRow'];

/** When sheets are open, in the school's time zone. */
export const useWindows = (at: Year) =>
  useQuery({
    queryKey: ['windows', at.school, at.year],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/windows', { params: { path: path(at) } })),
  });

export const putWindow = (at: Year, body: WindowRow) => ask(api.PUT('/api/schools/{school}/years/{year}/windows', { params: { path: path(at) }, body }));

export const dropWindow = (at: Year, { round, grade, student }: WindowRow) =>
  ask(api.DELETE('/api/schools/{school}/years/{year}/windows', { params: { path: path(at), query: { round, grade, student } } }));
