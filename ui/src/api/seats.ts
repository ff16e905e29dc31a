import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import i18next from 'i18next';
import { ApiError, type Place, type Year, api, ask, studentPath, useLive, yearPath } from './client';
import type { components } from './schema.gen';
import { usePaged } from './paged';

export type Seats = components['schemas']['SeatsView'];
export type SeatTable = components['schemas']['SeatTable'];
export type TableSection = components['schemas']['TableSectionView'];
export type SeatLine = components['schemas']['SeatLine'];
export type SeatEntry = components['schemas']['SeatEntry'];
export type Ways = components['schemas']['WaysView'];
export type Choosing = components['schemas']['ChoosingView'];
export type SeatsPut = components['schemas']['SeatsPut'];

/** What is chosen for: a period, in some terms (none: all) and on some days (none: all). */
export interface Opening {
  period: number;
  terms: number[];
  days: number[];
}

const keys = {
  seats: (at: Place) => ['seats', at.school, at.year, at.student] as const,
  acts: (at: Place) => ['seat-acts', at.school, at.year, at.student] as const,
};

const pathOf = (at: Place) => ({ school: at.school, year: at.year, student: at.student });

/** The finished master schedule, in a version of it. */
export const useSeatTable = (at: Year, version: string | undefined) => {
  const { language } = i18next;
  return useQuery({
    queryKey: ['seat-table', at.school, at.year, version, language],
    queryFn: () =>
      ask(api.GET('/api/schools/{school}/years/{year}/seat-table', { params: { path: { school: at.school, year: at.year }, query: { language } } })),
    enabled: version !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
};

/** A student's choice of seats. Seats that are left change while one looks; what belongs to them does not jump for that. */
export const useSeats = (at: Place) => {
  const client = useQueryClient();
  const key = keys.seats(at);
  useLive(`${studentPath(at)}/seats/live`, (message) => {
    const { left } = message;
    if (!left) {
      void client.invalidateQueries({ queryKey: key });
      return;
    }
    client.setQueryData<Seats>(key, (have) => {
      if (!have) return have;
      const now = (section: string, before: number) => Math.max(0, left[section] ?? before);
      return {
        ...have,
        lines: have.lines.map((x) => {
          const n = left[x.section];
          return n === undefined ? x : { ...x, left: Math.max(0, n), fits: n >= 0 && x.fits };
        }),
        own: have.own.map((x) => ({ ...x, left: now(x.section, x.left) })),
      };
    });
  });
  return useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/seats', { params: { path: pathOf(at) } })),
    refetchInterval: 60_000, // what was not heard, and the window
  });
};

/** How what is open could be filled, as it was when it was asked for; it is asked again when one's own seats change. */
export const useWays = (at: Place, version: number | undefined, opening: Opening | undefined) =>
  useQuery({
    queryKey: ['seat-ways', at.school, at.year, at.student, version, opening],
    queryFn: () =>
      ask(
        api.GET('/api/schools/{school}/years/{year}/students/{student}/seats/ways', {
          params: { path: pathOf(at), query: { period: opening?.period ?? 1, terms: opening?.terms, days: opening?.days } },
          querySerializer: { array: { style: 'form', explode: false } },
        }),
      ),
    enabled: opening !== undefined && version !== undefined,
    placeholderData: keepPreviousData,
    staleTime: 30_000,
  });

export const useSeatActs = (at: Place, version: number | undefined) =>
  usePaged(
    [...keys.acts(at), version],
    100,
    (skip) => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/seats/acts', { params: { path: pathOf(at), query: { skip } } })),
    version !== undefined,
  );

/** The acts on a choice of seats, by name; each answers with the week as it is then. */
export const seatActs = {
  take: (path: Place, body: SeatsPut) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/seats', { params: { path: pathOf(path) }, body })),
  look: (path: Place) => ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/seats/look', { params: { path: pathOf(path) } })),
  submit: (path: Place, reason: string) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/seats/submission', { params: { path: pathOf(path) }, body: { reason } })),
  giveBack: (path: Place, reason: string) =>
    ask(api.POST('/api/schools/{school}/years/{year}/students/{student}/seats/return', { params: { path: pathOf(path) }, body: { reason } })),
  wait: (path: Place, section: string) =>
    ask(api.PUT('/api/schools/{school}/years/{year}/students/{student}/seats/waits/{section}', { params: { path: { ...pathOf(path), section } } })),
  unwait: (path: Place, section: string) =>
    ask(api.DELETE('/api/schools/{school}/years/{year}/students/{student}/seats/waits/{section}', { params: { path: { ...pathOf(path), section } } })),
};

export const proposal = (at: Place) => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/seats/proposal', { params: { path: pathOf(at) } }));

/** Runs an act on a choice of seats and puts the answer into the cache; where it is refused the week is looked at again. */
export function useSeatAct<B>(at: Place, act: (at: Place, body: B) => Promise<Seats>) {
  const client = useQueryClient();
  return useMutation<Seats, ApiError, B>({
    mutationFn: (body) => act(at, body),
    onSuccess: (seats) => client.setQueryData(keys.seats(at), seats),
    onError: (error) => error.code !== 'offline' && void client.invalidateQueries({ queryKey: keys.seats(at) }),
    onSettled: () => client.invalidateQueries({ queryKey: ['choosing'] }),
    scope: { id: `seats ${at.school} ${at.year} ${at.student}` }, // one after the other
  });
}

/** Tells whether a student's choice of sections waits for the reader's look. */
export const waitsForLook = (x: Choosing) => x.next === 'look' && x.look.allowed;

/** The students of a year who choose seats. */
export const useChoosing = (at: Year) => {
  const client = useQueryClient();
  const key = ['choosing', at.school, at.year];
  useLive(`${yearPath(at)}/seats/live`, (message) => {
    if (!message.left) void client.invalidateQueries({ queryKey: key });
  });
  return useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/seats', { params: { path: { school: at.school, year: at.year } } })),
    refetchInterval: 60_000,
  });
};

export const setSeatRules = (at: Year, body: { waiting: 'order' | 'lottery'; minutes: number }) =>
  ask(api.PUT('/api/schools/{school}/years/{year}/seat-rules', { params: { path: { school: at.school, year: at.year } }, body }));
