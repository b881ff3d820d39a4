/** What is asked of the drawn rows: which are chosen, what sets them apart, and how that is written. */

import { binIn, type Field, type Table } from "./sampledRows";

/** Rows of one version, of all, or those of the newest against those of the one before. */
export type Among = "all" | "against" | number;

export interface Asked {
  across: string;
  up: string;
  by: string;
  split: boolean;
  among: Among;
  /** By the name of a column, the bins that are chosen of it. */
  brushed: Map<string, Set<number>>;
}

/** Of each row: 1 it is chosen, 2 it is what these are held against, 0 neither. */
export type Groups = Uint8Array;
export const CHOSEN = 1;
export const OTHERS = 2;

export function groupsOf(table: Table, { among, brushed }: Asked): Groups {
  const passes = passing(table, brushed);
  const newest = table.versions[table.rows - 1] ?? 0;
  const groups = new Uint8Array(table.rows);
  for (let row = 0; row < table.rows; row++) {
    const version = table.versions[row]!;
    if (among === "against") groups[row] = !passes[row] ? 0 : version === newest ? CHOSEN : version === newest - 1 ? OTHERS : 0;
    else if (among === "all" || version === among) groups[row] = passes[row] ? CHOSEN : OTHERS;
  }
  return groups;
}

/** How many rows a group has. */
export const sizeOf = (groups: Groups, group: number) => groups.reduce((n, each) => n + (each === group ? 1 : 0), 0);

/** 1 for the rows that are in the chosen bins of every column. */
function passing(table: Table, brushed: Asked["brushed"]): Uint8Array {
  const passes = new Uint8Array(table.rows).fill(1);
  for (const field of table.fields) {
    const bins = brushed.get(field.name);
    if (!bins) continue;
    const allowed = new Uint8Array(field.size + 1);
    bins.forEach((bin) => (allowed[bin] = 1));
    for (let row = 0; row < table.rows; row++) passes[row]! &= allowed[field.bins[row]!]!;
  }
  return passes;
}

/** Rows of each bin among the chosen and among the others. */
export function countsOf(field: Field, groups: Groups): [Float64Array, Float64Array] {
  const counts: [Float64Array, Float64Array] = [new Float64Array(field.size + 1), new Float64Array(field.size + 1)];
  for (let row = 0; row < groups.length; row++) if (groups[row]) counts[groups[row]! - 1]![field.bins[row]!]!++;
  return counts;
}

export const total = (counts: Float64Array) => counts.reduce((sum, n) => sum + n, 0);

/** Counts as parts of all. */
export function sharesOf(counts: Float64Array): Float64Array {
  const all = total(counts);
  return all ? counts.map((n) => n / all) : counts;
}

/**
 * How far two distributions are apart, from 0 to 1: of numbers the largest difference of cumulative
 * shares (Kolmogorov-Smirnov), of levels the total variation distance; or by what is missing.
 */
export function distance(field: Field, [chosen, others]: [Float64Array, Float64Array]): number {
  const [one, other] = [sharesOf(chosen), sharesOf(others)];
  const missing = Math.abs(one[field.size]! - other[field.size]!);
  if (field.levels.length) return one.reduce((sum, share, bin) => sum + Math.abs(share - other[bin]!), 0) / 2;
  const present = [1 - one[field.size]!, 1 - other[field.size]!] as const;
  let [below, most] = [0, 0];
  for (let bin = 0; bin < field.size && present[0] && present[1]; bin++) {
    below += one[bin]! / present[0] - other[bin]! / present[1];
    most = Math.max(most, Math.abs(below));
  }
  return Math.max(missing, most);
}

export interface Apart {
  field: Field;
  distance: number;
}

/** The columns by which the chosen rows are farthest from the others; those that chose them are left out. */
export function apartOf(table: Table, groups: Groups, asked: Asked): Apart[] {
  return table.fields
    .filter((field) => !asked.brushed.has(field.name))
    .map((field) => ({ field, distance: distance(field, countsOf(field, groups)) }))
    .sort((a, b) => b.distance - a.distance);
}

/** So many random divisions are held against the chosen one; what is beyond this share of them is no chance. */
export const SHUFFLES = 60;
const CHANCE = 0.95;

/** Of random divisions into as many rows, one after the other, the largest distance of any column. */
export function* shuffledDistances(table: Table, groups: Groups, asked: Asked): Generator<number> {
  const fields = table.fields.filter((field) => !asked.brushed.has(field.name));
  const places = [...groups.keys()].filter((row) => groups[row]);
  const labels = places.map((row) => groups[row]!);
  const next = randomNumbers();
  const shuffled = new Uint8Array(groups.length);
  for (;;) {
    for (let i = labels.length - 1; i > 0; i--) {
      const j = next() % (i + 1);
      [labels[i], labels[j]] = [labels[j]!, labels[i]!];
    }
    places.forEach((row, i) => (shuffled[row] = labels[i]!));
    yield Math.max(0, ...fields.map((field) => distance(field, countsOf(field, shuffled))));
  }
}

/** What chance alone stays below in 19 of 20 random divisions. */
export function chanceOf(distances: number[]): number {
  return [...distances].sort((a, b) => a - b)[Math.ceil(CHANCE * distances.length) - 1]!;
}

/** The same numbers each time, so that the same choice gives the same answer (Marsaglia's xorshift). */
function randomNumbers(): () => number {
  let state = 2463534242;
  return () => {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return (state >>>= 0);
  };
}

/** The median of the rows of a group; NaN where none has a value. */
export function medianOf(field: Field, groups: Groups, group: number): number {
  const values = field.values.filter((value, row) => groups[row] === group && !Number.isNaN(value)).sort();
  const half = values.length >> 1;
  return values.length % 2 ? values[half]! : (values[half - 1]! + values[half]!) / 2;
}

const REACHING = "..";
/** What no encoded name or level holds. */
const MISSING = "^";

/** The choice as the end of an address. */
export function addressOf(table: Table, asked: Asked): string {
  const given = new URLSearchParams({ across: asked.across, up: asked.up });
  if (asked.by) given.set("by", asked.by);
  if (asked.split) given.set("split", "1");
  given.set("among", `${asked.among}`);
  for (const field of table.fields) {
    const bins = asked.brushed.get(field.name);
    if (bins) given.append("in", `${encodeURIComponent(field.name)}:${written(field, bins)}`);
  }
  return `explore/${given}`;
}

function written(field: Field, bins: Set<number>): string {
  const parts = field.levels.length
    ? [...bins].filter((bin) => bin < field.size).map((bin) => encodeURIComponent(field.levels[bin]!))
    : rangesOf(field, bins).map(([low, high]) => `${low ?? ""}${REACHING}${high ?? ""}`);
  return [...parts, ...(bins.has(field.size) ? [MISSING] : [])].join("|");
}

/** Neighbouring bins as ranges; null where a range has no end. */
export function rangesOf(field: Field, bins: Set<number>): [number | null, number | null][] {
  const ranges: [number, number][] = [];
  for (const bin of [...bins].filter((each) => each < field.size).sort((a, b) => a - b)) {
    const last = ranges[ranges.length - 1];
    if (last && last[1] === bin - 1) last[1] = bin;
    else ranges.push([bin, bin]);
  }
  return ranges.map(([first, last]) => [first ? field.edges[first]! : null, last < field.size - 1 ? field.edges[last + 1]! : null]);
}

/** What an address asks for, or the usual where it says nothing of use. */
export function askedIn(address: string, table: Table, usual: Asked): Asked {
  if (!address.startsWith("explore/")) return usual;
  const given = new URLSearchParams(address.slice("explore/".length));
  const named = (key: string, other: string) => {
    const name = given.get(key);
    return table.fields.some((field) => field.name === name) ? name! : other;
  };
  const brushed: Asked["brushed"] = new Map();
  for (const part of given.getAll("in")) {
    const [name, text] = part.split(":", 2) as [string, string | undefined];
    const field = table.fields.find((each) => encodeURIComponent(each.name) === name);
    const bins = field && text !== undefined ? read(field, text) : null;
    if (bins?.size) brushed.set(field!.name, bins);
  }
  const among = given.get("among");
  const version = Number(among);
  return {
    across: named("across", usual.across),
    up: named("up", usual.up),
    by: named("by", ""),
    split: given.get("split") === "1",
    among: among === "all" || among === "against" ? among : among && table.versions.includes(version) ? version : usual.among,
    brushed,
  };
}

function read(field: Field, text: string): Set<number> {
  const bins = new Set<number>();
  for (const part of text.split("|")) {
    if (part === MISSING) bins.add(field.size);
    else if (field.levels.length) {
      const place = field.levels.findIndex((level) => encodeURIComponent(level) === part);
      if (place >= 0) bins.add(place);
    } else if (part.includes(REACHING)) {
      const [low, high] = part.split(REACHING) as [string, string];
      const first = low ? binIn(field.edges, Number(low)) : 0;
      const last = high ? binIn(field.edges, Number(high)) - 1 : field.size - 1;
      for (let bin = first; bin <= last; bin++) bins.add(bin);
    }
  }
  return bins;
}

export type Tongue = "pandas" | "polars" | "sql";

/**
 * A choice of something as a filter that picks the same rows of the data.
 *
 * `dtypeOf` says how a column is stored: what is no text is written as such.
 */
export function filterOf(table: Table, asked: Asked, tongue: Tongue, dtypeOf: (name: string) => string): string {
  const parts = table.fields.flatMap((field) => {
    const bins = asked.brushed.get(field.name);
    return bins?.size ? [condition(field, bins, tongue, dtypeOf(field.name))] : [];
  });
  if (tongue === "sql") return `WHERE ${parts.join("\n  AND ")}`;
  const only = parts.length === 1 ? parts[0]! : null;
  if (tongue === "pandas") return only ? `frame[${only}]` : `frame[\n    ${parts.join("\n    & ")}\n]`;
  return only ? `frame.filter(${only})` : `frame.filter(\n    ${parts.join(",\n    ")},\n)`;
}

/** JSON's texts are literals of Python. */
const quoted = (text: string) => JSON.stringify(text);
const inSql = (text: string, quote: string) => quote + text.replaceAll(quote, quote + quote) + quote;
/** The level that stands for all rare ones. */
export const REST = "…";

/** How the three say the same. */
const SAYINGS = {
  pandas: {
    name: (name: string) => `frame[${quoted(name)}]`,
    among: (name: string, list: string) => `${name}.isin([${list}])`,
    notAmong: (name: string, list: string) => `(~${name}.isin([${list}]) & ${name}.notna())`,
    there: (name: string) => `${name}.notna()`,
    missing: (name: string) => `${name}.isna()`,
    text: quoted,
    flags: ["False", "True"],
    joins: [" & ", " | "],
  },
  polars: {
    name: (name: string) => `pl.col(${quoted(name)})`,
    among: (name: string, list: string) => `${name}.is_in([${list}])`,
    notAmong: (name: string, list: string) => `~${name}.is_in([${list}])`,
    there: (name: string) => `${name}.is_not_null()`,
    missing: (name: string) => `${name}.is_null()`,
    text: quoted,
    flags: ["False", "True"],
    joins: [" & ", " | "],
  },
  sql: {
    name: (name: string) => inSql(name, '"'),
    among: (name: string, list: string) => `${name} IN (${list})`,
    notAmong: (name: string, list: string) => `${name} NOT IN (${list})`,
    there: (name: string) => `${name} IS NOT NULL`,
    missing: (name: string) => `${name} IS NULL`,
    text: (text: string) => inSql(text, "'"),
    flags: ["FALSE", "TRUE"],
    joins: [" AND ", " OR "],
  },
} as const;

function condition(field: Field, bins: Set<number>, tongue: Tongue, dtype: string): string {
  const say = SAYINGS[tongue];
  const name = say.name(field.name);
  const choices = field.levels.length ? amongLevels(field, bins, tongue, dtype) : inRanges(field, bins, tongue);
  if (bins.has(field.size)) choices.push(say.missing(name));
  return choices.length > 1 ? `(${choices.join(say.joins[1])})` : choices[0]!;
}

function amongLevels(field: Field, bins: Set<number>, tongue: Tongue, dtype: string): string[] {
  const say = SAYINGS[tongue];
  const literal = (level: string) => {
    if (dtype.startsWith("bool")) return say.flags[/^(true|1|yes)$/i.test(level) ? 1 : 0];
    return /int|float|double|decimal/.test(dtype) && Number.isFinite(Number(level)) ? level : say.text(level);
  };
  const listed = (chosen: boolean) =>
    field.levels.filter((level, bin) => level !== REST && bins.has(bin) === chosen).map(literal).join(", ");
  if (field.levels.some((level, bin) => level === REST && bins.has(bin))) {
    const others = listed(false);
    return [others ? say.notAmong(say.name(field.name), others) : say.there(say.name(field.name))];
  }
  const own = listed(true);
  return own ? [say.among(say.name(field.name), own)] : [];
}

function inRanges(field: Field, bins: Set<number>, tongue: Tongue): string[] {
  const say = SAYINGS[tongue];
  const name = say.name(field.name);
  const literal = (value: number) => (field.isTime ? moment(value, tongue) : String(value));
  return rangesOf(field, bins).map(([low, high]) => {
    const ends = [
      ...(low === null ? [] : [`(${name} >= ${literal(low)})`]),
      ...(high === null ? [] : [`(${name} < ${literal(high)})`]),
    ];
    if (!ends.length) return say.there(name);
    return ends.length > 1 ? `(${ends.join(say.joins[0])})` : ends[0]!;
  });
}

function moment(value: number, tongue: Tongue): string {
  const date = new Date(value);
  if (tongue === "polars") {
    const parts = [date.getUTCFullYear(), date.getUTCMonth() + 1, date.getUTCDate(), date.getUTCHours(), date.getUTCMinutes()];
    return `pl.datetime(${parts.join(", ")})`;
  }
  const text = date.toISOString().replace("T00:00:00.000Z", "").replace(/(\.000)?Z$/, "").replace("T", " ");
  return SAYINGS[tongue].text(text);
}
