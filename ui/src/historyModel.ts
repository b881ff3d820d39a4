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

/** Versions one after the other: the first and the last place of them. */
export type Span = [number, number];

/** What a span of versions is called. */
export function nameOf([first, last]: Span): string {
  const { labels } = shown().versions;
  return first === last ? labels[first]! : `${labels[first]} … ${labels[last]}`;
}

/** The middle of what is known in a span; null where nothing is. Of shares the mean by rows. */
export function pooled(values: (number | null)[], [first, last]: Span, byRows = false): number | null {
  const places = values.map((_, place) => place).filter((place) => place >= first && place <= last && values[place] !== null);
  if (!places.length) return null;
  if (byRows) {
    const { rows } = shown().versions;
    const all = places.reduce((sum, place) => sum + rows[place]!, 0);
    return all ? places.reduce((sum, place) => sum + values[place]! * rows[place]!, 0) / all : null;
  }
  const sorted = places.map((place) => values[place]!).sort((a, b) => a - b);
  const half = sorted.length >> 1;
  return sorted.length % 2 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2;
}

/** At most so many places of n, about evenly spaced, the first and the last one among them. */
export function evenly(n: number, most: number): number[] {
  const parts = Math.min(n, Math.max(most, 2)) - 1;
  return Array.from({ length: parts + 1 }, (_, i) => (parts ? Math.round((i * (n - 1)) / parts) : 0));
}
