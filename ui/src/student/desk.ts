import type { Edit, Effects, Place, Sheet } from '../api/client';
import type { Book } from '../shared/words';

/** Makes a change on the latest version. Where it would void what the school has, it asks first, unless the person is sure. */
export type Change = (edit: Omit<Edit, 'version' | 'key'>, sure?: boolean) => void;

/** A change that is on its way to the server, or waits for the connection, or for an answer of the person who made it. */
export interface Waiting {
  edit: Omit<Edit, 'version' | 'key'>;
  key: string; // by which the server knows it again when its answer was lost
  stood?: string; // where its course stood when it was made
  sure?: boolean; // that it voids what the school has
  late?: boolean; // the server was not reached
  stopped?: string; // why it was not made, in words
}

/** A sheet with what a screen needs to show and change it. */
export interface Desk {
  book: Book;
  sheet: Sheet;
  effects: Effects | undefined; // until they come
  effectsFailed: boolean;
  change: Change;
  busy: boolean;
  waiting: Waiting[]; // changes that are not made yet
  place: Place;
  reason?: string; // why somebody of the school does it for the family
}

/** Whether the reader may put a course on the sheet or take it off: the summer round has its own time. */
export const mayChange = ({ book, sheet }: Desk, course: string) => (book.course(course)?.summer ? sheet.acts.editSummer : sheet.acts.edit).allowed;

/** What the finder shows. */
export interface Filter {
  text?: string;
  rule?: string;
  term?: number;
  subject?: string;
  fits?: boolean;
  recommended?: boolean;
  tag?: string;
  instead?: string; // the requested course that what is chosen takes the place of
}
