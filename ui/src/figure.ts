/** Draws spreads: the newest version as ink, older ones as outlines that pale with age. */

import * as Plot from "@observablehq/plot";
import { plot } from "./axes";
import type { Bar, Bars } from "./bars";
import { cut, number, whole, percentTick } from "./format";
import { page, word } from "./model";

const newest = page.versions.length - 1;

/** Share of a version's rows; versions of different length are drawn on one scale. */
export function share(bar: Bar, version: number, totals: number[]): number {
  return totals[version] ? bar.counts[version]! / totals[version]! : 0;
}

/** What heights are: shares of the rows, or rows. */
export interface Heights {
  /** What counts are divided by, for each version. */
  totals: number[];
  label: string;
  format: (height: number) => string;
}

export const shares = (totals: number[]): Heights => ({ totals, label: word("page.share_of_rows"), format: percentTick });
export const rows = (totals: number[]): Heights => ({
  totals: totals.map((total) => (total ? 1 : 0)),
  label: word("page.rows"),
  format: whole,
});

function outline(bars: Bar[], version: number, totals: number[]): [number, number][] {
  const points: [number, number][] = [];
  for (const bar of bars) {
    const height = share(bar, version, totals);
    points.push([bar.from, height], [bar.to, height]);
  }
  const first = bars[0]!;
  const last = bars[bars.length - 1]!;
  return [[first.from, 0], ...points, [last.to, 0]];
}

function olderMarks({ bars, touching }: Bars, totals: number[]): Plot.Markish[] {
  const marks: Plot.Markish[] = [];
  for (let version = 0; version < newest; version++) {
    if (!totals[version]) continue;
    const className = `ghost ghost-${newest - version}`;
    if (touching) {
      marks.push(Plot.line(outline(bars, version, totals), { className, strokeWidth: 1.5, strokeLinejoin: "miter" }));
    } else {
      marks.push(
        Plot.rect(bars, {
          className,
          x1: "from",
          x2: "to",
          y1: 0,
          y2: (bar: Bar) => share(bar, version, totals),
          fill: "none",
          stroke: "currentColor",
          strokeWidth: 1.5,
        }),
      );
    }
  }
  return marks;
}

function newestMark({ bars, touching }: Bars, totals: number[]): Plot.Markish {
  return Plot.rect(
    bars.filter((bar) => bar.counts[newest]),
    {
      className: "ink",
      x1: "from",
      x2: "to",
      y1: 0,
      y2: (bar: Bar) => share(bar, newest, totals),
      insetLeft: touching ? 0.5 : 0,
      insetRight: touching ? 0.5 : 0,
    },
  );
}

function scaleX({ bars, touching, time, log }: Bars) {
  const pad = touching || bars.length === 0 ? 0 : (bars[0]!.to - bars[0]!.from) * 0.4;
  const domain = [bars[0]!.from - pad, bars[bars.length - 1]!.to + pad];
  if (log) return { type: "log" as const, domain, ticks: 6, tickFormat: number };
  return time ? { type: "utc" as const, domain: domain.map((t) => new Date(t)) } : { type: "linear" as const, domain };
}

/** The spread of a numeric or time axis in full size. */
export function largeFigure(bars: Bars, { totals, ...heights }: Heights, width: number, label: string): Element {
  const few = !bars.touching && bars.bars.length <= 16;
  return plot({
    className: "plot",
    width,
    height: 260,
    marginLeft: 48,
    marginRight: 12,
    marginBottom: 34,
    x: {
      ...scaleX(bars),
      label,
      labelArrow: "none",
      ...(few
        ? {
            ticks: bars.bars.map((bar) => (bar.from + bar.to) / 2),
            tickFormat: (_: number, i: number) => bars.bars[i]!.label,
          }
        : {}),
    },
    y: {
      domain: [0, highest(bars, totals)],
      label: heights.label,
      labelArrow: "none",
      tickFormat: heights.format,
      ticks: 4,
      grid: true,
      nice: true,
    },
    marks: [
      newestMark(bars, totals),
      ...olderMarks(bars, totals),
      Plot.ruleY([0], { className: "base" }),
    ],
  });
}

/** Levels of a category as lying bars, so that their names can be read. */
export function levelsFigure(bars: Bars, { totals, ...heights }: Heights, width: number): Element {
  const longest = Math.max(...bars.bars.map((bar) => bar.label.length), 4);
  const rows = bars.bars.map((bar, i) => ({ ...bar, place: i }));
  const mark = (version: number, options: object) =>
    Plot.rect(rows, {
      y1: (row) => row.place - 0.36,
      y2: (row) => row.place + 0.36,
      x1: 0,
      x2: (row) => share(row, version, totals),
      ...options,
    });
  const older = totals.slice(0, newest).flatMap((total, version) =>
    total
      ? [mark(version, { className: `ghost ghost-${newest - version}`, fill: "none", stroke: "currentColor", strokeWidth: 1.5 })]
      : [],
  );
  return plot({
    className: "plot",
    width,
    height: 44 + 26 * rows.length,
    marginLeft: Math.min(180, 12 + 7 * longest),
    marginTop: 4,
    marginBottom: 34,
    x: {
      domain: [0, highest(bars, totals)],
      label: heights.label,
      labelArrow: "none",
      tickFormat: heights.format,
      ticks: 5,
      grid: true,
      nice: true,
    },
    y: {
      domain: [rows.length - 0.5, -0.5],
      label: null,
      ticks: rows.map((row) => row.place),
      tickFormat: (_: number, i: number) => cut(rows[i]!.label, 24),
      tickSize: 0,
    },
    marks: [mark(newest, { className: "ink" }), ...older, Plot.ruleX([0], { className: "base" })],
  });
}

export function highest({ bars }: Bars, totals: number[]): number {
  const heights = bars.flatMap((bar) => totals.map((_, version) => share(bar, version, totals)));
  return Math.max(...heights, 1e-9);
}
