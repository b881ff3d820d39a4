/** The evenly drawn rows of all versions as one table: a number and a bin for each cell. */

import type { SampledColumn, SampledVersion } from "./pageData";

/** A column: a number for each row (of levels, their place), and the bin that it is drawn in. */
export interface Field {
  name: string;
  /** Names of the levels; none of a column of numbers. */
  levels: string[];
  isTime: boolean;
  values: Float64Array;
  /** Of numbers, where bins begin and the last one ends; the outermost hold all beyond as well. */
  edges: number[];
  /** Bins without that of missing values, which is the last one. */
  size: number;
  bins: Uint8Array;
}

export interface Table {
  rows: number;
  /** The version of each row. */
  versions: Uint8Array;
  fields: Field[];
}

/** Bins of a column of numbers. */
const MOST_BINS = 24;
/** A tail is cut at this share where it is longer than all else. */
const CUT = 0.01;

export function tableOf(versions: SampledVersion[]): Table {
  const rows = versions.reduce((sum, version) => sum + version.rows, 0);
  const of = new Uint8Array(rows);
  let at = 0;
  versions.forEach((version, i) => {
    of.fill(i, at, at + version.rows);
    at += version.rows;
  });
  const newest = versions[versions.length - 1]!;
  return { rows, versions: of, fields: newest.columns.map((column) => fieldOf(column, versions, rows)) };
}

function fieldOf(column: SampledColumn, versions: SampledVersion[], rows: number): Field {
  const parts = versions.map((version) => version.columns.find((other) => other.name === column.name));
  const isLevels = column.levels.length > 0;
  // A column that was of another kind before has no values there.
  const known = parts.map((part) => (part && part.levels.length > 0 === isLevels ? part : undefined));
  const levels = isLevels ? levelsOf(known) : [];
  const values = new Float64Array(rows).fill(NaN);
  let at = 0;
  versions.forEach((version, i) => {
    const part = known[i];
    if (part) codesOf(part).forEach((code, row) => (values[at + row] = valueOf(part, code, levels)));
    at += version.rows;
  });
  const edges = isLevels ? [] : edgesOf(values, column.is_time);
  const size = isLevels ? levels.length : edges.length - 1;
  return { name: column.name, levels, isTime: column.is_time, values, edges, size, bins: binsOf(values, edges, size) };
}

/** All levels of any version, the most frequent first; what stands for rare ones is the last. */
function levelsOf(parts: (SampledColumn | undefined)[]): string[] {
  const counts = new Map<string, number>();
  for (const part of parts) {
    if (part) for (const code of codesOf(part)) if (code) counts.set(part.levels[code - 1]!, (counts.get(part.levels[code - 1]!) ?? 0) + 1);
  }
  const rest = (level: string) => (level === "…" ? 1 : 0);
  return [...counts.keys()].sort((a, b) => rest(a) - rest(b) || counts.get(b)! - counts.get(a)!);
}

/** A code for each row; 0 is missing. */
export function codesOf(column: SampledColumn): Uint16Array {
  const signs = atob(column.codes);
  const rows = signs.length / column.bytes_per_code;
  const codes = new Uint16Array(rows);
  for (let i = 0; i < rows; i++) codes[i] = signs.charCodeAt(i) + (column.bytes_per_code > 1 ? 256 * signs.charCodeAt(rows + i) : 0);
  return codes;
}

function valueOf(column: SampledColumn, code: number, levels: string[]): number {
  if (!code) return NaN;
  if (levels.length) return levels.indexOf(column.levels[code - 1]!);
  const exact = column.values[code - 1];
  return exact ?? column.start + (code - 1 - column.values.length) * column.step;
}

const DAY = 86_400_000;
const SPANS = [1, 5, 15, 60, 180, 360, 720].map((minutes) => minutes * 60_000).concat([1, 2, 7, 14].map((days) => days * DAY));
const MONTHS = [1, 2, 3, 6, 12, 24, 60, 120, 300, 600, 1200];

/** Round edges of equal bins over the values but for the outermost of a long tail. */
export function edgesOf(values: Float64Array, isTime: boolean): number[] {
  const sorted = values.filter((value) => !Number.isNaN(value)).sort();
  if (!sorted.length) return [0, 1];
  const at = (share: number) => sorted[Math.round(share * (sorted.length - 1))]!;
  const [inner, outer] = [at(CUT), at(1 - CUT)];
  let [low, high] = [sorted[0]!, sorted[sorted.length - 1]!];
  if (high - outer > outer - inner) high = outer;
  if (inner - low > outer - inner) low = inner;
  if (isTime) return timeEdges(low, high);
  const step = roundStep((high - low) / MOST_BINS, sorted);
  const first = Math.floor(low / step);
  const last = Math.max(Math.floor(high / step) + 1, first + 1);
  return Array.from({ length: last - first + 1 }, (_, i) => Number(((first + i) * step).toPrecision(12)));
}

/** The smallest round step that is not below one; of whole numbers a whole one. */
function roundStep(least: number, sorted: Float64Array): number {
  if (!(least > 0)) return 1;
  const whole = sorted.every((value) => Number.isInteger(value));
  const size = 10 ** Math.floor(Math.log10(least));
  const step = [1, 2, 2.5, 5, 10].map((part) => part * size).find((part) => part >= least * (1 - 1e-9))!;
  return whole ? Math.max(1, Math.ceil(step)) : step;
}

/** Edges on the calendar. */
function timeEdges(low: number, high: number): number[] {
  const least = (high - low) / MOST_BINS;
  const span = SPANS.find((each) => each >= least);
  if (span !== undefined) {
    const first = Math.floor(low / span);
    const n = Math.floor(high / span) - first + 2;
    return Array.from({ length: n }, (_, i) => (first + i) * span);
  }
  const months = MONTHS.find((each) => each * 30.4 * DAY >= least) ?? MONTHS[MONTHS.length - 1]!;
  const begin = new Date(low);
  const first = Math.floor((begin.getUTCFullYear() * 12 + begin.getUTCMonth()) / months);
  const edges = [monthStart(first * months)];
  while (edges[edges.length - 1]! <= high) edges.push(monthStart((first + edges.length) * months));
  return edges;
}

/** When the month begins that is so many after the first of the year 0. */
function monthStart(month: number): number {
  // `Date.UTC` takes the years 0 to 99 for those of the century before last.
  return new Date(0).setUTCFullYear(Math.floor(month / 12), month - 12 * Math.floor(month / 12), 1);
}

function binsOf(values: Float64Array, edges: number[], size: number): Uint8Array {
  const found = new Uint8Array(values.length);
  values.forEach((value, row) => {
    if (Number.isNaN(value)) found[row] = size;
    else if (!edges.length) found[row] = value;
    else found[row] = binIn(edges, value);
  });
  return found;
}

/** The bin that a number is in. */
export function binIn(edges: number[], value: number): number {
  let [low, high] = [0, edges.length - 2];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (edges[middle]! <= value) low = middle;
    else high = middle - 1;
  }
  return low;
}
