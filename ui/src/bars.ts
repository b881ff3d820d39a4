/**
 * Every distribution as bars on a numeric axis, so that one way of drawing serves them all.
 * Neighbouring bins are summed here; nothing else is computed on the page.
 */

import { number } from "./format";
import type { BinnedDistribution, Distribution } from "./model";

export interface Bar {
  from: number;
  to: number;
  label: string;
  /** Rows in each version. */
  counts: number[];
}

export interface Bars {
  bars: Bar[];
  /** Whether neighbouring bars touch, as the bins of a histogram do. */
  touching: boolean;
  time: boolean;
  /** Whether the axis is logarithmic. */
  log: boolean;
  /** Rows of each version beyond the axis. */
  beyond: number[];
}

const HOUR = 3_600_000;
const LENGTH: Record<string, number> = { second: 1000, minute: 60_000, hour: HOUR, day: 24 * HOUR };

export function barsOf(distribution: Distribution, most: number): Bars {
  if (distribution.type === "bins") {
    const edge = (i: number) => distribution.start + i * distribution.width;
    // A bin of values on a lattice is drawn around them, and ends with its last value.
    const unit = distribution.step ?? 0;
    const bars = summed(distribution.counts, most).map(({ first, last, counts }) => ({
      from: edge(first) - unit / 2,
      to: edge(last) - unit / 2,
      label: range(edge(first), edge(last) - unit),
      counts,
    }));
    return { bars, touching: true, time: false, log: false, beyond: distribution.underflow.map((n, i) => n + distribution.overflow[i]!) };
  }
  if (distribution.type === "time") {
    const start = (i: number) => unitStart(distribution.unit, distribution.first + i);
    const bars = summed(distribution.counts, most).map(({ first, last, counts }) => ({
      from: start(first),
      to: start(last),
      label: dateText(start(first), distribution.unit, distribution.time_of_day),
      counts,
    }));
    return { bars, touching: true, time: true, log: false, beyond: [] };
  }
  const places = distribution.type === "values" ? distribution.values : distribution.levels.map((_, i) => i);
  const names = distribution.type === "values" ? distribution.values.map(number) : distribution.levels;
  const gap = smallestGap(places);
  const bars = places.map((place, i) => ({
    from: place - 0.36 * gap,
    to: place + 0.36 * gap,
    label: names[i]!,
    counts: distribution.counts.map((row) => row[i]!),
  }));
  return { bars, touching: false, time: false, log: false, beyond: [] };
}

/** Bars of binary logarithms, on the axis of the values themselves. */
export function logBarsOf(distribution: BinnedDistribution, most: number): Bars {
  const { bars, ...rest } = barsOf(distribution, most);
  const values = bars.map(({ from, to, counts }) => ({ from: 2 ** from, to: 2 ** to, label: range(2 ** from, 2 ** to), counts }));
  return { ...rest, bars: values, log: true };
}

/** How many bars a distribution can have at most; 0 where they cannot be made fewer. */
export function finest(distribution: Distribution): number {
  return distribution.type === "bins" || distribution.type === "time" ? (distribution.counts[0]?.length ?? 0) : 0;
}

function range(from: number, to: number): string {
  const [low, high] = [number(from), number(to)];
  return low === high ? low : `${low} – ${high}`;
}

interface Sum {
  first: number;
  last: number;
  counts: number[];
}

/** Sums as many neighbours as bring the number of bars down to the most that are wanted. */
function summed(rows: number[][], most: number): Sum[] {
  const length = rows[0]?.length ?? 0;
  const by = Math.max(1, Math.ceil(length / most));
  const sums: Sum[] = [];
  for (let first = 0; first < length; first += by) {
    const last = Math.min(first + by, length);
    sums.push({
      first,
      last: first + by,
      counts: rows.map((row) => row.slice(first, last).reduce((a, b) => a + b, 0)),
    });
  }
  return sums;
}

function smallestGap(places: number[]): number {
  const gaps = places.slice(1).map((place, i) => place - places[i]!);
  return gaps.length ? Math.min(...gaps) : 1;
}

export function unitStart(unit: string, place: number): number {
  if (unit === "month") return Date.UTC(1970, place, 1);
  if (unit === "year") return Date.UTC(1970 + place, 0, 1);
  return place * LENGTH[unit]!;
}

function dateText(time: number, unit: string, clock: boolean): string {
  const iso = new Date(time).toISOString();
  if (clock) return iso.slice(11, 16);
  const digits = { year: 4, month: 7, day: 10 }[unit] ?? 16;
  return iso.slice(0, digits).replace("T", " ");
}
