import type { QueryClient } from '@tanstack/react-query';
import { lazy } from 'react';
import { overlays, summer } from './floating';

const pages = {
  path: () => import('./pathpage'),
  history: () => import('./history'),
  errands: () => import('./errands'),
  drafts: () => import('./drafts'),
  course: () => import('./coursepage'),
  courses: () => import('./courses'),
  submit: () => import('./submit'),
  seats: () => import('./seats'),
};

/** Fetches all that comes late, and then has the browser keep the files and what is shown, for when the connection is lost. */
export async function fetchLate(client: QueryClient) {
  await Promise.all([overlays(), summer(), ...Object.values(pages).map((page) => page())]);
  (await import('../offline')).keepHere(client);
}

export const PathPage = lazy(pages.path);
export const HistoryPage = lazy(pages.history);
export const ErrandsPage = lazy(pages.errands);
export const DraftsPage = lazy(pages.drafts);
export const CoursesPage = lazy(pages.courses);
export const CoursePage = lazy(pages.course);
export const SeatsPage = lazy(pages.seats);
export const SubmitPage = lazy(pages.submit);
