/** The data that a history's page is given; written by `output/html/payload/history.py`, and held to these types. */

import type { Difference, Severity, Words } from "./pageData";

/** By the place of a version, how urgent what happened there is. */
export type Marks = Record<string, Severity>;

export interface HistoryFinding {
  severity: Severity;
  accepted: string | null;
  form: string;
  title: string;
  columns: string[];
  /** Of what happened to many columns at once, each column with its sentence. */
  sentences: [string, string][];
  /** Places of the versions that it holds for. */
  first: number;
  last: number;
}

/** A column along the versions; null where a version has none. */
export interface HistoryColumn {
  name: string;
  kind: string;
  state: string;
  severity: Severity | null;
  /** Whether what happened, happened to its missing values. */
  about_missing: boolean;
  /** A sign for each version: 0 usual to 8 most unusual, a blank where nothing is before it. */
  unusual: string;
  marks: Marks;
  /** A level or nothing, its newest number, and between which it usually was. */
  typical: [string, string, string];
  missing_now: [string, string];
  /** Of a quantity, its 5, 25, 50, 75 and 95 % quantiles. */
  quantiles: (number | null)[][];
  missing: (number | null)[];
  distinct: (number | null)[];
  shares: [string, (number | null)[]][];
}

/** Of the newest version, or what changed from the one before it. */
export interface StepFinding {
  severity: Severity;
  title: string;
  sentence: string;
  columns: string[];
  accepted: string | null;
}

export interface HistoryPage {
  title: string;
  verdict: { headline: string; detail: string };
  /** Whether there are versions enough to say anything. */
  judged: boolean;
  versions: { labels: string[]; moments: string[]; rows: number[]; marks: Marks };
  findings: HistoryFinding[];
  step: StepFinding[];
  /** Of the table as a whole: what, the newest number, and what was usual before. */
  whole: [string, string, string][];
  relations: { x: string; y: string; now: string; usual: string }[];
  columns: HistoryColumn[];
  logo: string | null;
}

export interface HistoryData {
  language: string;
  page: HistoryPage;
  words: Words;
  others: Record<string, Difference>;
}
