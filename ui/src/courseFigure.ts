/** Draws the course of a column along the versions, and two versions beside each other. */

import * as Plot from "@observablehq/plot";
import { plot } from "./axes";
import { cut, number, percent, percentTick } from "./format";
import type { HistoryColumn } from "./historyData";
import { evenly, momentsOf, nameOf, pooled, type Span, shown } from "./historyModel";
import { word } from "./model";

const HEIGHT = 250;
/** Levels that are drawn, and signs of their names. */
const [LEVELS, NAME] = [5, 18];

type Numbers = (number | null)[];

/** Where the versions are on the axis: at their moments, or one after the other. */
function axisOf(width: number): { at: (Date | number)[]; x: Plot.ScaleOptions } {
  const { versions } = shown();
  const moments = momentsOf(versions);
  if (moments) return { at: moments, x: { type: "utc", label: null, ticks: Math.max(2, Math.floor(width / 110)) } };
  const places = versions.labels.map((_, i) => i);
  const ticks = evenly(places.length, Math.max(2, Math.floor(width / 90)));
  return {
    at: places,
    x: { label: null, ticks, tickFormat: ((i: number) => cut(versions.labels[i] ?? "", 12)) as (value: unknown) => string, inset: 4 },
  };
}

function known(at: (Date | number)[], values: Numbers): { x: Date | number; y: number }[] {
  return values.flatMap((y, i) => (y === null ? [] : [{ x: at[i]!, y }]));
}

function bands(at: (Date | number)[], low: Numbers, high: Numbers): { x: Date | number; low: number; high: number }[] {
  return low.flatMap((bottom, i) => (bottom === null || high[i] === null ? [] : [{ x: at[i]!, low: bottom, high: high[i]! }]));
}

/** Dotted lines where something happened, in the colour of how urgent it is. */
function marksOf(column: HistoryColumn, at: (Date | number)[]): Plot.Markish[] {
  const places = Object.keys(column.marks).map(Number);
  // Of neighbours the first: what lasted is one thing.
  return places
    .filter((place) => !(place - 1 in column.marks))
    .flatMap((place) => [
      Plot.ruleX([at[place]!], { className: `course-mark ${column.marks[place]}`, strokeDasharray: "3,3" }),
      Plot.text([at[place]!], {
        className: `course-mark-name ${column.marks[place]}`,
        x: (x: Date | number) => x,
        frameAnchor: "top",
        dy: -12,
        text: () => cut(shown().versions.labels[place]!, NAME),
      }),
    ]);
}

/** The median with the middle half and the middle nine tenths; shares of levels; or distinct values. */
export function courseFigure(column: HistoryColumn, width: number): Element {
  const { at, x } = axisOf(width);
  const newest = at.length - 1;
  const marks: Plot.Markish[] = [];
  let y: Plot.ScaleOptions = { label: null, ticks: 5, grid: true, nice: true };
  let marginRight = 14;
  if (column.quantiles.length) {
    const [p5, p25, p50, p75, p95] = column.quantiles as [Numbers, Numbers, Numbers, Numbers, Numbers];
    const area = (low: Numbers, high: Numbers, className: string) =>
      Plot.areaY(bands(at, low, high), { className, x: "x", y1: "low", y2: "high" });
    marks.push(area(p5, p95, "course-outer"), area(p25, p75, "course-inner"));
    marks.push(...lineOf(at, p50, "course-line"));
  } else if (column.shares.length) {
    marginRight = 120;
    y = { ...y, domain: [0, highest(column.shares.map(([, values]) => values))], tickFormat: percentTick };
    const drawn = column.shares.slice(0, LEVELS);
    drawn.forEach(([, values], i) => marks.push(...lineOf(at, values, `course-line course-level-${i}`)));
    marks.push(...names(drawn, at[newest]!, newest));
  } else marks.push(...lineOf(at, column.distinct, "course-line"));
  return plot({
    className: "plot",
    width,
    height: HEIGHT,
    marginLeft: 56,
    marginRight,
    x,
    y,
    marks: [...marks, ...marksOf(column, at)],
  } as Plot.PlotOptions);
}

/** The share of missing values, from none. */
export function missingFigure(column: HistoryColumn, width: number): Element {
  const { at, x } = axisOf(width);
  const most = highest([column.missing]);
  return plot({
    className: "plot",
    width,
    height: HEIGHT,
    marginLeft: 56,
    marginRight: 14,
    x,
    y: { label: null, ticks: 5, grid: true, domain: [0, most], tickFormat: percentTick },
    marks: [...lineOf(at, column.missing, "course-line"), ...marksOf(column, at), Plot.ruleY([0], { className: "base" })],
  } as Plot.PlotOptions);
}

/** The highest share, with some room above it; never none. */
function highest(all: Numbers[]): number {
  const most = Math.max(0, ...all.flat().map((value) => value ?? 0));
  return most > 0 ? Math.min(1, most * 1.1) : 0.01;
}

/** A line through what is known, and a point at the newest version. */
function lineOf(at: (Date | number)[], values: Numbers, className: string): Plot.Markish[] {
  const points = known(at, values);
  const last = points[points.length - 1];
  return [
    Plot.line(points, { className, x: "x", y: "y" }),
    ...(last ? [Plot.dot([last], { className: `${className} course-newest`, x: "x", y: "y", r: 3.5 })] : []),
  ];
}

/** The names of levels beside their newest shares; those that would overlap are moved apart. */
function names(drawn: [string, Numbers][], x: Date | number, newest: number): Plot.Markish[] {
  const top = highest(drawn.map(([, values]) => values));
  const room = (14 / (HEIGHT - 50)) * top;
  const known = drawn
    .map(([level, values], i) => ({ level, y: values[newest] ?? 0, i }))
    .sort((a, b) => a.y - b.y);
  let least = -Infinity;
  return known.map(({ level, y, i }) => {
    least = Math.max(y, least + room);
    return Plot.text([least], {
      className: `course-name course-level-${i}`,
      x: () => x,
      y: (value: number) => value,
      text: () => cut(level, NAME),
      textAnchor: "start",
      dx: 8,
    });
  });
}

/** Two versions, or two spans of them: the older in outline, the newer in ink. */
export function twoFigure(column: HistoryColumn, [older, newer]: [Span, Span], width: number): Element {
  return column.quantiles.length ? boxes(column, [older, newer], width) : levels(column, [older, newer], width);
}

function boxes(column: HistoryColumn, chosen: [Span, Span], width: number): Element {
  const marks = chosen.flatMap((span, row) => {
    const found = column.quantiles.map((values) => pooled(values, span));
    if (found.some((value) => value === null)) return [];
    const [p5, p25, p50, p75, p95] = found as [number, number, number, number, number];
    const look = row === 1 ? "shape-new" : "shape-old";
    return [
      Plot.ruleY([row], { className: `shape-whisker ${look}`, x1: p5, x2: p25 }),
      Plot.ruleY([row], { className: `shape-whisker ${look}`, x1: p75, x2: p95 }),
      Plot.rect([row], { className: `shape-box ${look}`, x1: p25, x2: p75, y1: row - 0.28, y2: row + 0.28 }),
      Plot.ruleX([p50], { className: `shape-median ${look}`, y1: row - 0.28, y2: row + 0.28 }),
    ];
  });
  return plot({
    className: "plot",
    width,
    height: 130,
    marginLeft: 140,
    marginRight: 14,
    x: { label: null, nice: true, grid: true },
    y: {
      label: null,
      domain: [1.6, -0.6],
      ticks: [0, 1],
      tickSize: 0,
      tickFormat: ((row: number) => cut(nameOf(chosen[row as 0 | 1]), 20)) as (value: unknown) => string,
    },
    marks,
  } as Plot.PlotOptions);
}

function levels(column: HistoryColumn, [older, newer]: [Span, Span], width: number): Element {
  const rows = column.shares.slice(0, 12).map(([level, values]) => ({
    level,
    older: pooled(values, older, true) ?? 0,
    newer: pooled(values, newer, true) ?? 0,
  }));
  return plot({
    className: "plot",
    width,
    height: 30 + 24 * rows.length,
    marginLeft: 130,
    marginRight: 60,
    x: { label: null, ticks: 5, grid: true, domain: [0, highest([rows.flatMap((row) => [row.older, row.newer])])], tickFormat: percentTick },
    y: { label: null, domain: rows.map((row) => row.level), tickFormat: ((level: string) => cut(level, NAME)) as (value: unknown) => string, tickSize: 0 },
    marks: [
      Plot.barX(rows, { className: "ink", x: "newer", y: "level", insetTop: 3, insetBottom: 3 }),
      Plot.barX(rows, { className: "ghost", x: "older", y: "level", fill: "none", stroke: "currentColor", strokeWidth: 1.5 }),
    ],
  } as Plot.PlotOptions);
}

/** The numbers of a column in a version, or of a span in the middle: what, and how much. */
export function numbersOf(column: HistoryColumn, span: Span): [string, string][] {
  const line = (name: string, values: Numbers, text: (value: number) => string, byRows = false): [string, string] => {
    const value = pooled(values, span, byRows);
    return [name, value === null ? "–" : text(value)];
  };
  return [
    line(word("page.rows"), shown().versions.rows, number),
    line(word("page.missing"), column.missing, percent, true),
    line(word("page.distinct"), column.distinct, number),
    ...column.quantiles.map((values, i) => line(word(`page.quantile_${i}`), values, number)),
    ...column.shares.map(([level, values]) => line(level, values, percent, true)),
  ];
}
