/** Draws two columns against each other: grids of counts, boxes, spreads, shares, lines over time. */

import * as Plot from "@observablehq/plot";
import { plot } from "./axes";
import { unitStart } from "./bars";
import { cut, percent, whole, percentTick } from "./format";
import { type Axis, type Box, type BoxesView, type GridView, page, type SharesView, type TimeView, word } from "./model";

export interface Frame {
  width: number;
  height: number;
  x: string;
  y: string;
  /** Outlined for older versions, inked for the newest. */
  older: boolean;
  domains?: { x: [number, number]; y: [number, number] };
}

export function ends({ start, width, bins }: Axis): [number, number] {
  return [start, start + width * bins];
}

function scale(domain: [number, number], label: string, moment: boolean) {
  const options = { label: cut(label, 34), labelArrow: "none" as const, ticks: 5 };
  return moment
    ? { ...options, type: "utc" as const, domain: domain.map((t) => new Date(t)) }
    : { ...options, type: "linear" as const, domain };
}

/** Counts in bins as squares; the fuller, the darker. */
export function gridFigure(view: GridView, frame: Frame): Element {
  const { start: x0, width: dx } = view.x;
  const { start: y0, width: dy, bins: rows } = view.y;
  const most = Math.max(...view.counts, 1);
  const cells = view.counts.flatMap((n, i) =>
    n
      ? [{ x: x0 + Math.floor(i / rows) * dx, y: y0 + (i % rows) * dy, n }]
      : [],
  );
  const className = frame.older ? "pair-cell older-cell" : "pair-cell";
  const domains = frame.domains ?? { x: ends(view.x), y: ends(view.y) };
  const marks: Plot.Markish[] = [
    Plot.rect(cells, {
      className,
      x1: "x",
      x2: (cell: { x: number }) => cell.x + dx,
      y1: "y",
      y2: (cell: { y: number }) => cell.y + dy,
      fillOpacity: (cell: { n: number }) => 0.1 + 0.9 * Math.sqrt(cell.n / most),
      inset: 0.4,
      title: (cell: { n: number }) => `${whole(cell.n)} ${word("page.rows")}`,
    }),
  ];
  if (view.line.length > 1) {
    marks.push(
      Plot.areaY(view.line, { className: "pair-band", x: "x", y1: "low", y2: "high" }),
      Plot.line(view.line, { className: "pair-line", x: "x", y: "y" }),
    );
  }
  return plot({
    className: "plot",
    width: frame.width,
    height: frame.height,
    marginLeft: 52,
    marginBottom: 36,
    x: scale(domains.x, frame.x, view.x.is_time),
    y: scale(domains.y, frame.y, view.y.is_time),
    opacity: { type: "identity" },
    clip: true,
    marks,
  } as Plot.PlotOptions);
}

export const BOX_STYLES = ["boxes", "distributions", "against_all", "normal_plot"] as const;
export type BoxStyle = (typeof BOX_STYLES)[number];

/** Normal scores of every twentieth quantile. */
const UPPER_SCORES = [0.1257, 0.2533, 0.3853, 0.5244, 0.6745, 0.8416, 1.0364, 1.2816, 1.6449];
const SCORES = [...UPPER_SCORES.map((score) => -score).reverse(), 0, ...UPPER_SCORES];

/** A quantity by level: one row a level, in every version beside each other. */
export function boxesFigure(views: (BoxesView | null)[], style: BoxStyle, frame: Frame): Element {
  const newest = views.length - 1;
  const levels = [...new Set([...views].reverse().flatMap((view) => view?.boxes.map((box) => box.level) ?? []))];
  const domain = frame.domains!.x;
  const moment = views.some((view) => view?.axis.is_time);
  if (style === "against_all" || style === "normal_plot") return quantilePlots(views, levels, frame, style);
  const marks: Plot.Markish[] = [];
  const high = style === "boxes" ? 0.34 : 0.9;
  views.forEach((view, version) => {
    if (!view) return;
    const age = newest - version;
    const shift = style === "boxes" ? (views.filter(Boolean).length > 1 ? (age ? -0.2 : 0.2) : 0) : 0;
    const tone = age ? `ghost ghost-${age}` : "ink";
    for (const box of view.boxes) {
      const row = levels.indexOf(box.level);
      marks.push(...(style === "boxes" ? boxMarks(box, row + shift, high / 2, tone) : spreadMarks(box, view.axis, row, tone)));
    }
  });
  return plot({
    className: "plot",
    width: frame.width,
    height: 52 + (style === "boxes" ? 34 : 44) * levels.length,
    marginLeft: Math.min(150, 16 + 7 * Math.max(...levels.map((level) => level.length), 3)),
    marginBottom: 36,
    x: { ...scale(domain, frame.y, moment), grid: true },
    y: {
      domain: [levels.length - 0.5, -0.5],
      label: null,
      ticks: levels.map((_, i) => i),
      tickFormat: (_: number, i: number) => cut(levels[i]!, 20),
      tickSize: 0,
    },
    marks,
  } as Plot.PlotOptions);
}

function boxMarks(box: Box, row: number, half: number, tone: string): Plot.Markish[] {
  const { level, rows, low_whisker, high_whisker, outside, quantiles } = box;
  const ink = tone === "ink";
  const look = ink ? { className: "pair-box" } : { className: tone, fill: "none", stroke: "currentColor", strokeWidth: 1.5 };
  const title = `${level}: ${whole(rows)} ${word("page.rows")}, ${word("page.beyond_grid", { n: whole(outside) })}`;
  return [
    Plot.ruleY([row], { className: ink ? "pair-whisker" : tone, x1: low_whisker, x2: high_whisker }),
    Plot.rect([0], { ...look, x1: quantiles[4]!, x2: quantiles[14]!, y1: row - half, y2: row + half, title: () => title }),
    Plot.ruleX([quantiles[9]!], { className: ink ? "pair-median" : tone, y1: row - half, y2: row + half, strokeWidth: 2.5 }),
  ];
}

function spreadMarks(box: Box, axis: Axis, row: number, tone: string): Plot.Markish[] {
  const { rows, counts } = box;
  const most = Math.max(...counts.map((n) => n / rows), 1e-9);
  const bars = counts.map((n, i) => ({ x: axis.start + i * axis.width, top: row + 0.42 - (0.84 * n) / rows / most }));
  const options = { x1: "x", x2: (bar: { x: number }) => bar.x + axis.width, y1: row + 0.42, y2: "top" };
  if (tone === "ink") return [Plot.rect(bars, { ...options, className: "ink", insetLeft: 0.5, insetRight: 0.5 })];
  const outline = bars.flatMap((bar) => [
    [bar.x, bar.top],
    [bar.x + axis.width, bar.top],
  ]);
  return [Plot.line(outline as [number, number][], { className: tone, strokeWidth: 1.5 })];
}

/** Quantiles of every level against those of all rows, or of a normal distribution: on the line where they are alike. */
function quantilePlots(views: (BoxesView | null)[], levels: string[], frame: Frame, style: "against_all" | "normal_plot"): Element {
  const view = views[views.length - 1] ?? views.find(Boolean)!;
  const shown = levels.slice(0, 6);
  const normal = style === "normal_plot";
  const points = view!.boxes
    .filter(({ level }) => shown.includes(level))
    .flatMap(({ level, quantiles }) => quantiles.map((y, i) => ({ level, x: normal ? SCORES[i]! : view!.overall[i]!, y })));
  const [low, high] = [view!.overall[0]!, view!.overall[view!.overall.length - 1]!];
  const all = [...points.map((point) => point.y), low, high];
  const range: [number, number] = [Math.min(...all), Math.max(...all)];
  const ends = normal ? [SCORES[0]!, SCORES.at(-1)!] : range;
  // Normal values lie on the line through both quartiles.
  const lines = view!.boxes
    .filter(({ level }) => shown.includes(level))
    .flatMap(({ level, quantiles: q }) => ends.map((x) => ({ level, x, y: normal ? (q[4]! + q[14]!) / 2 + ((q[14]! - q[4]!) / (2 * SCORES[14]!)) * x : x })));
  return plot({
    className: "plot",
    width: frame.width,
    height: 230,
    marginLeft: 52,
    marginTop: 28,
    marginBottom: 36,
    fx: { domain: shown, label: null, tickFormat: (level: string) => cut(level, 12) },
    x: { domain: ends, label: word(normal ? "page.normal_score" : "page.all_rows"), labelArrow: "none", ticks: 3 },
    y: { domain: range, label: frame.y, labelArrow: "none", ticks: 4, grid: true },
    marks: [
      Plot.line(lines, { className: "pair-diagonal", fx: "level", x: "x", y: "y" }),
      Plot.dot(points, { className: "pair-dot", fx: "level", x: "x", y: "y", r: 2.5 }),
    ],
  } as Plot.PlotOptions);
}

/** Shares of the second column's levels within each level of the first. */
export function sharesFigure(view: SharesView, frame: Frame): Element {
  const width = view.y_levels.length;
  const cells = view.x_levels.flatMap((level, i) => {
    const counts = view.counts.slice(i * width, (i + 1) * width);
    const total = counts.reduce((a, b) => a + b, 0);
    return total ? view.y_levels.map((other, j) => ({ level, other, n: counts[j]!, share: counts[j]! / total })) : [];
  });
  const roomy = frame.width / width > 52;
  return plot({
    className: "plot",
    width: frame.width,
    height: 64 + Math.min(26, 560 / view.x_levels.length) * view.x_levels.length,
    marginLeft: Math.min(130, 16 + 7 * Math.max(...view.x_levels.map((level) => level.length))),
    marginTop: 30,
    x: { domain: view.y_levels, axis: "top", label: null, tickSize: 0, tickFormat: (level: string) => cut(level, roomy ? 14 : 6) },
    y: { domain: view.x_levels, label: null, tickSize: 0, tickFormat: (level: string) => cut(level, 18) },
    opacity: { type: "identity" },
    marks: [
      Plot.cell(cells, {
        className: frame.older ? "pair-cell older-cell" : "pair-cell",
        x: "other",
        y: "level",
        inset: 0.5,
        fillOpacity: (cell: { share: number }) => 0.06 + 0.8 * cell.share,
        title: (cell: { level: string; other: string; n: number; share: number }) =>
          `${cell.level}, ${cell.other}: ${whole(cell.n)} (${percent(cell.share)})`,
      }),
      ...(roomy
        ? [
            Plot.text(cells, {
              className: "pair-text",
              x: "other",
              y: "level",
              text: (cell: { share: number }) => percent(cell.share),
            }),
          ]
        : []),
    ],
  } as Plot.PlotOptions);
}

/** The middle of a unit. */
const middle = (view: TimeView, i: number) =>
  new Date((unitStart(view.unit, view.first + i) + unitStart(view.unit, view.first + i + 1)) / 2);
const start = (view: TimeView, i: number) => new Date(unitStart(view.unit, view.first + i));

/** A column over time: the middle half of a quantity and its median, or the shares of levels. */
export function timeFigure(views: (TimeView | null)[], frame: Frame): Element {
  const newest = views.length - 1;
  const quantity = views.some((view) => view?.quartiles.some(Boolean));
  const marks: Plot.Markish[] = [];
  const levels = quantity ? [] : [...new Set([...views].reverse().flatMap((view) => view?.levels ?? []))].slice(0, 6);
  views.forEach((view, version) => {
    if (!view) return;
    const tone = version === newest ? "time-new" : "time-old";
    if (quantity) {
      const points = view.quartiles.flatMap((q, i) => (q ? [{ t: middle(view, i), low: q[0], middle: q[1], high: q[2] }] : []));
      marks.push(
        Plot.areaY(points, { className: `time-band ${tone}`, x: "t", y1: "low", y2: "high" }),
        Plot.line(points, { className: `time-line ${tone}`, x: "t", y: "middle", marker: points.length < 40 ? "dot" : undefined }),
      );
      return;
    }
    const shares = levels.flatMap((level) => {
      const place = view.levels.indexOf(level);
      return view.rows.flatMap((rows, i) => {
        const held = rows - view.missing[i]!;
        return held > 0 ? [{ level, t: middle(view, i), share: place < 0 ? 0 : view.counts[place]![i]! / held }] : [];
      });
    });
    marks.push(Plot.line(shares, { className: `time-line ${tone}`, x: "t", y: "share", z: "level", fy: "level", marker: "dot" }));
  });
  const jumps = views.flatMap((view) => view?.jumps.map((i) => start(view, i)) ?? []);
  if (jumps.length) marks.push(Plot.ruleX(jumps, { className: "time-jump" }));
  return plot({
    className: "plot",
    width: frame.width,
    height: quantity ? frame.height : 40 + 56 * levels.length,
    marginLeft: 56,
    marginRight: timeMargin(views),
    marginBottom: 30,
    x: { type: "utc", label: null, domain: timeEnds(views) },
    y: quantity
      ? { label: frame.y, labelArrow: "none", ticks: 5, grid: true }
      : { domain: [0, 1], ticks: [0, 0.5], tickFormat: percentTick, label: null, grid: true },
    ...(quantity ? {} : { fy: { domain: levels, label: null, padding: 0.2, tickFormat: (level: string) => cut(level, 14) } }),
    marks,
  } as Plot.PlotOptions);
}

/** From the first unit of any version to the end of the last. */
function timeEnds(views: (TimeView | null)[]): [Date, Date] {
  const known = views.filter((view) => view !== null);
  const first = known.map((view) => start(view, 0).getTime());
  const last = known.map((view) => start(view, view.rows.length).getTime());
  return [new Date(Math.min(...first)), new Date(Math.max(...last))];
}

/** Room on the right for the names of levels. */
export function timeMargin(views: (TimeView | null)[]): number {
  return views.some((view) => view?.quartiles.some(Boolean)) ? 12 : 110;
}

/** Rows, or missing shares, by unit of time. */
export function unitsFigure(
  bars: { from: Date; to: Date; height: number; newest: boolean }[],
  width: number,
  label: string,
  asShare: boolean,
  marginRight: number,
): Element {
  const look = { x1: "from", x2: "to", y1: 0, y2: "height", inset: 0.5 };
  return plot({
    className: "plot",
    width,
    height: 104,
    marginLeft: 56,
    marginRight,
    marginBottom: 32,
    x: { type: "utc", label: null },
    y: { label, labelArrow: "none", ticks: 3, grid: true, zero: true, ...(asShare ? { tickFormat: percentTick } : {}) },
    marks: [
      Plot.rect(bars.filter((bar) => bar.newest), { ...look, className: "ink" }),
      Plot.rect(bars.filter((bar) => !bar.newest), { ...look, className: "ghost", fill: "none", stroke: "currentColor", strokeWidth: 1.5 }),
    ],
  } as Plot.PlotOptions);
}

/** Whether all versions are drawn on one figure, or each on its own. */
export const manyVersions = page.versions.length > 1;
