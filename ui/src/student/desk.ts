import type { Edit, Effects, Place, Sheet } from '../api/client';
import type { Book } from '../words';

/** Makes a change on the latest version. Where it would void what the school has, it asks first, unless the person is sure. */
export type Change = (edit: Omit<Edit, 'version' | 'key'>, sure?: boolean) => void;

/** A sheet with what a screen needs to show and change it. */
export interface Desk {
  book: Book;
  sheet: Sheet;
  effects: Effects | undefined; // until they come
  effectsFailed: boolean;
  change: Change;
  busy: boolean;
  place: Place;
}

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
