import { lazy } from 'react';

/** What floats over the pages comes when it is needed, or with the first sign that someone is at work: it must open without the network too. */
export const overlays = () => import('./overlays');
export const summer = () => import('./summer');

export const ChangeRequests = lazy(() => import('../shared/changerequests'));
export const TalkBand = lazy(() => import('../shared/talk').then((m) => ({ default: m.TalkBand })));
export const Result = lazy(() => import('../shared/result'));
export const Reminded = lazy(() => import('../shared/reminded'));
export const Summer = lazy(summer);
export const CourseDialog = lazy(() => overlays().then((m) => ({ default: m.CourseDialog })));
export const OrderDialog = lazy(() => overlays().then((m) => ({ default: m.OrderDialog })));
export const SureDialog = lazy(() => overlays().then((m) => ({ default: m.SureDialog })));
export const KeysDialog = lazy(() => overlays().then((m) => ({ default: m.KeysDialog })));
export const WhatIfDialog = lazy(() => overlays().then((m) => ({ default: m.WhatIfDialog })));
