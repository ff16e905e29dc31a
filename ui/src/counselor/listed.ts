import { useMemo, useState } from 'react';
import { useSearch } from 'wouter';
import type { Person } from '../api/client';
import type { Filter } from '../api/desks';

export const filterKeys = ['all', 'stage', 'reason', 'grade', 'program', 'course', 'counselor', 'text'] as const;

/** What the address chooses of the caseload; with nothing chosen it is who waits for the school. Given: the address chooses something. */
export function useListed(person: Person) {
  const search = useSearch();
  return useMemo(() => {
    const query = new URLSearchParams(search);
    const filter: Filter = person.job === 'office' ? { all: 'true' } : {};
    for (const key of filterKeys) {
      const value = query.get(key);
      if (value) filter[key] = value;
    }
    const given = filterKeys.some((key) => query.get(key));
    if (!filterKeys.some((key) => key !== 'all' && query.get(key))) filter.stage = 'waiting';
    if (filter.stage === 'any') delete filter.stage;
    return { filter, given };
  }, [search, person.job]);
}

/** The filter as an address writes it. */
export function searchOf(person: Person, filter: Filter) {
  const out = new URLSearchParams();
  for (const key of filterKeys) if (filter[key] && !(key === 'all' && person.job === 'office')) out.set(key, filter[key]);
  if (!filter.stage) out.set('stage', 'any');
  return String(out);
}

/** Where a student stands in a list, and who comes next; one who has left the list keeps the place for that. */
export function usePosition(students: { id: string }[], current: string | undefined) {
  const index = students.findIndex((s) => s.id === current);
  const [last, setLast] = useState(-1);
  if (index >= 0 && index !== last) setLast(index);
  const next = index >= 0 ? students[index + 1] : students[Math.max(0, last)];
  return { position: index + 1, count: students.length, next: next?.id };
}
