/** The data that the page is given; written by `output/html/payload/page.py`, and held to these types. */

export type Severity = "act" | "check" | "note";

export interface Finding {
  code: string;
  severity: Severity;
  columns: string[];
  versions: string[];
  size: number;
  /** Name, value, and the exact value where that says more. */
  evidence: [string, string, string][];
  title: string;
  sentence: string;
  next_step: string;
  /** Why it is known and no longer counts. */
  accepted: string | null;
  /** Code that mends it, and whether it does as a rule. */
  remedy: [string, boolean] | null;
  /** Rows that show it: version, columns, and for each row its number and cells. */
  example_rows: { version: string; columns: string[]; rows: { row: number; cells: (string | null)[] }[] }[];
}

export interface Transition {
  labels: [string, string];
  /** Name, value, how far off it may be. */
  measures: [string, string, string][];
  not_significant: boolean;
}

export interface RowChanges {
  labels: [string, string];
  sentence: string;
  key: string[];
  key_detected: boolean;
  /** Column, rows, share of the matched rows. */
  /** Column, rows, their share, and what was done to the cells. */
  cells: [string, string, string, string][];
  /** Key, column, old, new. */
  examples: [string, string, string | null, string | null][];
  added: string[];
  removed: string[];
  duplicate_keys: [string, string];
  not_compared: string[];
}

/** What it is, the count of each version, the difference between the last two. */
export type FactRow = [string, string[], string];
/** The missing values of a column in one version. */
export interface MissingView {
  word: string;
  only: string;
  /** Rows that would be lost if it were required. */
  lost: string;
  /** Levels of other columns in which it is missing far more than elsewhere. */
  among: string[];
  /** A datetime column, and the missing share in each of its units. */
  over_time: [string, number[]] | null;
  block_rows: number;
  /** Missing shares of blocks of rows, from the first row on. */
  places: number[];
}
export interface MissingColumn {
  name: string;
  shares: (string | null)[];
  /** Points of a hundred by which the newest share is above the one before. */
  change: number | null;
  /** By version; empty for the columns that are not drawn. */
  views: (MissingView | null)[];
}
/** Missing cells of a few evenly drawn rows; the columns in the order of a tree. */
export interface MissingMatrix {
  columns: string[];
  rows: number;
  /** Bits in base64, each column beginning with a byte; 1 is missing. */
  cells: string;
  /** The i-th makes the cluster n + i of two columns or clusters, at a distance from 0 to 1. */
  merges: [number, number, number][];
  caption: string;
  more: string;
}
export interface Missing {
  /** By version. */
  matrices: (MissingMatrix | null)[];
  facts: FactRow[];
  columns: MissingColumn[];
  patterns: { columns: string[]; rows: [string[], string]; share: string }[];
  further: string;
  groups: string[][];
  /** The two columns, rows where both are missing, their share of those where either is. */
  pairs: [string, string, string, string][];
}

export interface OutcomeView {
  column: string;
  explained: (string | null)[];
  /** The version before, by the same bins. */
  older: (number | null)[] | null;
  bins: { label: string; rows: string; part: number; value: number; low: number; high: number; text: string }[];
}

export interface Outcome {
  sentence: string;
  measure: string;
  is_share: boolean;
  by_bin: string;
  range: [number, number];
  views: OutcomeView[];
}

export interface Excerpt {
  columns: string[];
  first: (string | null)[][];
  sampled: (string | null)[][];
  last: (string | null)[][];
  /** Rows of the three parts with a quantity far from the rest. */
  outlier_rows: number[][];
  /** These cells, by row and column. */
  outlier_cells: [number, number][][];
}

/** Equal bins; of time in milliseconds since 1970. */
export interface Axis {
  start: number;
  width: number;
  bins: number;
  is_time: boolean;
}
export interface GridView {
  type: "grid";
  x: Axis;
  y: Axis;
  counts: number[];
  outside: number;
  /** A smooth line and the 95 % band around it. */
  line: { x: number; y: number; low: number; high: number }[];
}
/** A level: its whiskers, the rows outside of them, quantiles at every twentieth, counts on the axis. */
export interface Box {
  level: string;
  rows: number;
  low_whisker: number;
  high_whisker: number;
  outside: number;
  quantiles: number[];
  counts: number[];
}
export interface BoxesView {
  type: "boxes";
  axis: Axis;
  boxes: Box[];
  overall: number[];
}
export interface SharesView {
  type: "shares";
  x_levels: string[];
  y_levels: string[];
  counts: number[];
}
export interface TimeView {
  type?: "time";
  unit: string;
  first: number;
  rows: number[];
  missing: number[];
  quartiles: ([number, number, number] | null)[];
  is_time: boolean;
  levels: string[];
  counts: number[][];
  jumps: number[];
}
export type View = GridView | BoxesView | SharesView | (TimeView & { type: "time" });

export interface Pair {
  x: string;
  y: string;
  /** One a version. */
  views: (View | null)[];
  /** Code, figure, how far off it may be; one list a version. */
  facts: [string, string, string][][];
  split_by: string | null;
  /** The same in the rows of each level of the column that it is split by: level, rows, view. */
  facets: [string, string, View][];
}

export interface Components {
  explained: string[];
  shares: number[];
  sentence: string;
  excluded: string[];
  loadings: [string, number[]][];
  scores: (GridView | null)[];
}

export interface OverTime {
  time_column: string;
  /** Of how many drawn rows, in words; empty where all rows are looked at. */
  among: string;
  unit: string;
  rows: ({ unit: string; first: number; rows: number[] } | null)[];
  columns: { name: string; views: (TimeView | null)[] }[];
}

/** Duplicate rows, by all columns or by some. */
export interface Duplicates {
  sentence: string;
  runs: string[];
  block_rows: number;
  counts_by_block: number[];
  columns: string[];
  /** Rows, their numbers, the first one's cells. */
  groups: [string, string, (string | null)[]][];
}

export interface Matrix {
  names: string[];
  new: (number | null)[][];
  old: (number | null)[][] | null;
  summary: string;
  /** The two columns, measure, strength, twice its error, rows. */
  strongest: [string, string, string, string, string, string][];
  negative: [string, string, string, string, string, string][];
  further: string[];
  groups: string[];
  unrelated: string[];
  excluded: string[];
}

export interface RelationChange {
  labels: [string, string];
  x: string;
  y: string;
  measure: string;
  old: string;
  new: string;
}

export interface BinnedDistribution {
  type: "bins";
  start: number;
  width: number;
  step: number | null;
  counts: number[][];
  underflow: number[];
  overflow: number[];
}
export interface ValuesDistribution {
  type: "values";
  values: number[];
  counts: number[][];
}
export interface LevelsDistribution {
  type: "levels";
  levels: string[];
  counts: number[][];
  other_levels: number;
  other_counts: number[];
}
export interface TimeDistribution {
  type: "time";
  unit: string;
  time_of_day: boolean;
  first: number;
  counts: number[][];
}
export type Distribution = BinnedDistribution | ValuesDistribution | LevelsDistribution | TimeDistribution;

export type Point = [number, number];
export interface Shape {
  density: Point[] | null;
  cumulative: Point[];
  /** Whisker, quartile, median, quartile, whisker, values beyond on both sides, outermost values. */
  box: number[] | null;
  normal: Point[] | null;
}

export interface Counted {
  value: string;
  count: number;
}

export interface Summary {
  name: string;
  dtype: string;
  rows: number;
  present: number;
  missing: number;
  missing_share: number;
  missing_text: string;
  distinct: number;
  /** How many different values, in words. */
  distinct_text: string;
  unique_once: number;
  memory: string;
  first_value: string;
  last_value: string;
  typical: string;
  top_values: Counted[];
  /** Code, rounded, exact. */
  statistics: [string, string, string][];
  words: Counted[];
  rare_values: Counted[];
  patterns: Counted[];
  /** Rows by month, weekday and hour. */
  cycles: Record<string, number[]>;
  /** How far off figures may be; empty where all are exact. */
  error_bounds: string;
  quantiles: [number, string][];
  lowest: Counted[];
  highest: Counted[];
}

export interface Column {
  name: string;
  names: (string | null)[];
  kind: string;
  reason: string;
  severity: Severity | null;
  distribution: Distribution | null;
  /** Of binary logarithms, where a long tail is cut. */
  log_distribution: BinnedDistribution | null;
  /** Curves of a quantity, one a version. */
  shapes: (Shape | null)[];
  /** By the code of a statistic: from the version before to the newest. */
  differences: Record<string, string>;
  /** Other column, measure, strength, twice its error. */
  relations: [string, string, string, string][];
  change: number | null;
  measure: string;
  transitions: Transition[];
  trajectory: string;
  since_version: string;
  versions: (Summary | null)[];
  /** What a description that came with the data says, as sentences. */
  described: string[];
}

export interface Version {
  label: string;
  rows: number;
  columns: number;
  facts: Record<string, string>;
  origin: Record<string, string>;
  /** The text of a settings file; empty where all are the defaults. */
  settings: string;
}

/** A column in evenly drawn rows: a code for each cell, as `model.profile.SampledColumn` has it. */
export interface SampledColumn {
  name: string;
  levels: string[];
  values: number[];
  start: number;
  step: number;
  is_time: boolean;
  bytes_per_code: number;
  /** In base64. */
  codes: string;
}
export interface SampledVersion {
  rows: number;
  columns: SampledColumn[];
}
export interface ExploreRows {
  /** How many rows these are, and how far shares may be off. */
  sentence: string;
  /** Columns that stand first. */
  first: string[];
  versions: SampledVersion[];
  /** Columns that are not carried. */
  left_out: string[];
}

export interface Page {
  title: string;
  compared: boolean;
  verdict: { headline: string; detail: string; act: number; check: number; note: number; steady: number };
  /** Words of the analyst as safe HTML, by what they speak of. */
  notes: Record<string, string>;
  /** The table as a whole: code of a number, the number, and what it was or consists of. */
  overview: { name: string; value: string; note: string }[];
  findings: Finding[];
  versions: Version[];
  columns: Column[];
  rows_sentences: string[];
  rows: RowChanges[];
  duplicates: { facts: FactRow[]; versions: Duplicates[][] };
  outcome: Outcome | null;
  pairs: Pair[];
  components: Components | null;
  time: OverTime | null;
  missing: Missing | null;
  explore: ExploreRows | null;
  excerpts: Excerpt[];
  matrix: Matrix | null;
  /** Why there is no matrix. */
  no_relations: string | null;
  relations: RelationChange[];
  smallest_group: number;
  sharing: string[];
  stale_baseline: string[];
  grouped_by: string | null;
  /** What recipes begin with, and by name: with Nachsicht, with pandas. */
  recipes: { made: string; frame: string; recipes: Record<string, [string, string]> };
  /** A data address. */
  logo: string | null;
  theme_notes: string[];
}

export type Words = Record<string, Record<string, string>>;

/** The page in one language. */
export interface Edition {
  page: Page;
  words: Words;
}
/** What differs in another language: nothing, a value in a list of its own, or parts by their names. */
export type Difference = null | [unknown] | { [name: string]: Difference };

/** What stands packed in the file. */
export interface PageData extends Edition {
  /** That the file is written in. */
  language: string;
  /** What differs in other languages, by their codes. */
  others: Record<string, Difference>;
}
