import { Route, Switch, useLocation } from 'wouter';
import { Loading } from '../kit/controls';
import { Late } from '../kit/late';
import type { Desk } from './desk';
import { CoursePage, CoursesPage, DraftsPage, ErrandsPage, HistoryPage, PathPage, SeatsPage, SubmitPage } from './latepages';
import { YearPage } from './year';

/** The screens of a sheet by their addresses. A draft has the year and the courses alone: nothing else can be done with it. */
export function Pages({ desk }: { desk: Desk }) {
  const [at] = useLocation();
  const course = <Route path="/course/:code">{({ code }) => <CoursePage key={code} desk={desk} code={decodeURIComponent(code)} />}</Route>;
  const courses = (
    <Route path="/courses">
      <CoursesPage desk={desk} />
    </Route>
  );
  const year = (
    <Route>
      <YearPage desk={desk} />
    </Route>
  );
  return (
    <Late key={at} fallback={<Loading />}>
      {desk.sheet.draft ? (
        <Switch>
          {course}
          {courses}
          {year}
        </Switch>
      ) : (
        <Switch>
          <Route path="/hand-in">
            <SubmitPage desk={desk} />
          </Route>
          <Route path="/seats">
            <SeatsPage desk={desk} />
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
          {courses}
          {year}
        </Switch>
      )}
    </Late>
  );
}
