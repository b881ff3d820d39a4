/** Draws a quantity in other ways than bars: density, cumulative share, boxes, against the normal. */

import * as Plot from "@observablehq/plot";
import { plot } from "./axes";
import { cut, number, percentTick } from "./format";
import { page, type Point, type Shape, word } from "./model";

export type Way = "density" | "cumulative" | "box" | "normal";

const newest = page.versions.length - 1;
const tone = (version: number) => (version === newest ? "shape-new" : `shape-old ghost-${newest - version}`);

/** The points of a way of drawing, one list a version. */
export function pointsOf(shapes: (Shape | null)[], way: Exclude<Way, "box">): Point[][] {
  return shapes.map((shape) => shape?.[way] ?? []);
}

export function shapeFigure(shapes: (Shape | null)[], way: Way, width: number, label: string): Element {
  if (way === "box") return boxes(shapes, width, label);
  const points = pointsOf(shapes, way);
  const marks: Plot.Markish[] = [];
  points.forEach((of, version) => {
    if (!of.length) return;
    const look = { className: `shape-line ${tone(version)}`, x: "0", y: "1" };
    if (way === "density" && version === newest) marks.push(Plot.areaY(of, { className: "shape-area", x: "0", y: "1" }));
    if (way === "normal") {
      marks.push(Plot.dot(of, { ...look, r: 2.5, className: `shape-dot ${tone(version)}` }));
      const line = throughQuartiles(of);
      if (line) marks.push(Plot.line(line, { className: `shape-straight ${tone(version)}`, x: "0", y: "1" }));
    } else marks.push(Plot.line(of, { ...look, ...(way === "cumulative" ? { curve: "step-after" } : {}) }));
  });
  const axes = {
    density: { x: label, y: word("page.density") },
    cumulative: { x: label, y: word("page.cumulative_share") },
    normal: { x: word("page.normal_score"), y: label },
  }[way];
  return plot({
    className: "plot",
    width,
    height: 260,
    marginLeft: 56,
    marginRight: 12,
    marginBottom: 36,
    // The outermost points are drawn whole.
    x: {
      label: cut(axes.x, 60),
      labelArrow: "none",
      domain: domainOf(shapes, way, points),
      inset: way === "normal" ? 4 : 0,
    },
    y: {
      label: axes.y,
      labelArrow: "none",
      ticks: 5,
      grid: true,
      nice: true,
      ...(way === "cumulative" ? { domain: [0, 1], tickFormat: percentTick } : {}),
      ...(way === "density" ? { zero: true } : {}),
    },
    clip: true,
    marks: [...marks, ...(way === "normal" ? [] : [Plot.ruleY([0], { className: "base" })])],
  } as Plot.PlotOptions);
}

/** Long tails are left to the numbers: the axis of a cumulative share ends with the whiskers' double. */
function domainOf(shapes: (Shape | null)[], way: Way, points: Point[][]): [number, number] | undefined {
  if (way !== "cumulative") return undefined;
  const values = points.flatMap((of) => of.map(([x]) => x));
  const boxes = shapes.flatMap((shape) => (shape?.box ? [shape.box] : []));
  if (!boxes.length) return undefined;
  const low = Math.min(...boxes.map((box) => box[0]!));
  const high = Math.max(...boxes.map((box) => box[4]!));
  const reach = high - low || 1;
  return [Math.max(Math.min(...values), low - reach / 2), Math.min(Math.max(...values), high + reach / 2)];
}

/** The line that a normal distribution of the same quartiles would follow. */
function throughQuartiles(points: Point[]): [Point, Point] | null {
  const at = (score: number) => points.reduce((a, b) => (Math.abs(b[0] - score) < Math.abs(a[0] - score) ? b : a));
  const [low, high] = [at(-0.6745), at(0.6745)];
  const [first, last] = [points[0]![0], points[points.length - 1]![0]];
  if (high[0] === low[0]) return null;
  const slope = (high[1] - low[1]) / (high[0] - low[0]);
  const y = (x: number) => low[1] + slope * (x - low[0]);
  return [[first, y(first)], [last, y(last)]];
}

/** A box a version: the middle half, the median, whiskers, and how many values lie beyond. */
function boxes(shapes: (Shape | null)[], width: number, label: string): Element {
  const rows = shapes.flatMap((shape, version) => (shape?.box ? [{ version, box: shape.box }] : []));
  const marks: Plot.Markish[] = [];
  rows.forEach(({ version, box }, row) => {
    const [low, q1, median, q3, high, below, above] = box as [number, number, number, number, number, number, number];
    const look = tone(version);
    marks.push(
      Plot.ruleY([row], { className: `shape-whisker ${look}`, x1: low, x2: q1 }),
      Plot.ruleY([row], { className: `shape-whisker ${look}`, x1: q3, x2: high }),
      Plot.rect([row], { className: `shape-box ${look}`, x1: q1, x2: q3, y1: row - 0.28, y2: row + 0.28 }),
      Plot.ruleX([median], { className: `shape-median ${look}`, y1: row - 0.28, y2: row + 0.28 }),
    );
    const beyond: [number, number, string][] = [
      [below, low, "end"],
      [above, high, "start"],
    ];
    for (const [count, x, anchor] of beyond) {
      if (count)
        marks.push(
          Plot.text([row], {
            className: "shape-beyond",
            x,
            y: row,
            dx: anchor === "end" ? -6 : 6,
            text: () => `+${number(count)}`,
            textAnchor: anchor as "end" | "start",
          }),
        );
    }
  });
  return plot({
    className: "plot",
    width,
    height: 60 + 46 * rows.length,
    marginLeft: Math.min(150, 20 + 7 * Math.max(...rows.map(({ version }) => page.versions[version]!.label.length))),
    marginRight: 60,
    marginBottom: 36,
    x: { label: cut(label, 60), labelArrow: "none", grid: true, inset: 24 },
    y: {
      domain: [rows.length - 0.5, -0.5],
      label: null,
      ticks: rows.map((_, i) => i),
      tickFormat: (_: number, i: number) => cut(page.versions[rows[i]!.version]!.label, 20),
      tickSize: 0,
    },
    marks,
  } as Plot.PlotOptions);
}
