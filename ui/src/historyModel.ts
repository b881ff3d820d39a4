/** The history that is shown, and where its versions are drawn. */

import type { HistoryPage } from "./historyData";
import { page } from "./model";

/** The data in the language of just now: the page of a history is no other page. */
export function shown(): HistoryPage {
  return page as unknown as HistoryPage;
}

/** Less than a minute apart, versions were recorded one after the other: their moments say nothing. */
const APART_MS = 60_000;

/** The moments of the versions, or null where they say nothing. */
export function momentsOf({ moments }: HistoryPage["versions"]): Date[] | null {
  const dates = moments.map((moment) => new Date(`${moment}Z`));
  const apart = dates.every((date, i) => i === 0 || date.valueOf() - dates[i - 1]!.valueOf() >= APART_MS);
  return apart && dates.length > 1 ? dates : null;
}

/** At most so many places of n, about evenly spaced, the first and the last one among them. */
export function evenly(n: number, most: number): number[] {
  const parts = Math.min(n, Math.max(most, 2)) - 1;
  return Array.from({ length: parts + 1 }, (_, i) => (parts ? Math.round((i * (n - 1)) / parts) : 0));
}
