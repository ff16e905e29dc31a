import { Suspense, lazy } from 'react';
import { Route, Switch } from 'wouter';
import { Loading } from '../kit/controls';
import type { Desk } from './desk';
import { SubmitPage } from './submit';
import { YearPage } from './year';

const PathPage = lazy(() => import('./pathpage'));
const HistoryPage = lazy(() => import('./history'));
const ErrandsPage = lazy(() => import('./errands'));
const DraftsPage = lazy(() => import('./drafts'));
const CoursePage = lazy(() => import('./coursepage'));

/** The screens of a sheet by their addresses. A draft has the year and the courses alone: nothing else can be done with it. */
export function Pages({ desk }: { desk: Desk }) {
  const course = <Route path="/course/:code">{({ code }) => <CoursePage key={code} desk={desk} code={decodeURIComponent(code)} />}</Route>;
  const year = (
    <Route>
      <YearPage desk={desk} />
    </Route>
  );
  return (
    <Suspense fallback={<Loading />}>
      {desk.sheet.draft ? (
        <Switch>
          {course}
          {year}
        </Switch>
      ) : (
        <Switch>
          <Route path="/hand-in">
            <SubmitPage desk={desk} />
          </Route>
          <Route path="/history">
            <HistoryPage desk={desk} />
          </Route>
          <Route path="/errands">
            <ErrandsPage desk={desk} />
          </Route>
          <Route path="/drafts">
            <DraftsPage desk={desk} />
          </Route>
          <Route path="/path">
            <PathPage desk={desk} />
          </Route>
          {course}
          {year}
        </Switch>
      )}
    </Suspense>
  );
}
