import type { QueryClient } from '@tanstack/react-query';
import { lazy } from 'react';

/** The other pages, and what floats over them, come when it is needed, or with the first sign that somebody is at work: it must open without the network too. */
const overlays = () => import('./overlays');
const others = {
  path: () => import('./pathpage'),
  history: () => import('./history'),
  errands: () => import('./errands'),
  drafts: () => import('./drafts'),
  course: () => import('./coursepage'),
  courses: () => import('./courses'),
  submit: () => import('./submit'),
  summer: () => import('./summer'),
};

/** Fetches all that comes late, and then has the browser keep the files and what is shown, for when the connection is lost. */
export async function fetchLate(client: QueryClient) {
  await Promise.all([overlays(), ...Object.values(others).map((page) => page())]);
  (await import('../offline')).keepHere(client);
}

export const PathPage = lazy(others.path);
export const HistoryPage = lazy(others.history);
export const ErrandsPage = lazy(others.errands);
export const DraftsPage = lazy(others.drafts);
export const CoursesPage = lazy(others.courses);
export const CoursePage = lazy(others.course);
export const SubmitPage = lazy(others.submit);
export const Summer = lazy(others.summer);
export const CourseDialog = lazy(() => overlays().then((m) => ({ default: m.CourseDialog })));
export const OrderDialog = lazy(() => overlays().then((m) => ({ default: m.OrderDialog })));
export const SureDialog = lazy(() => overlays().then((m) => ({ default: m.SureDialog })));
export const KeysDialog = lazy(() => overlays().then((m) => ({ default: m.KeysDialog })));
export const WhatIfDialog = lazy(() => overlays().then((m) => ({ default: m.WhatIfDialog })));
