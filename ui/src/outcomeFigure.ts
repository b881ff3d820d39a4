/** The outcome over the bins of a column: its mean or share with its interval, and the rows beneath. */

import * as Plot from "@observablehq/plot";
import { plot } from "./axes";
import { cut, number, percent, percentTick } from "./format";
import { type Outcome, type OutcomeView, word } from "./model";

const MARGIN = { left: 58, right: 12, bottom: 54, top: 26 };
/** The rows take this part of the height. */
const ROWS = 0.24;
/** Widths of a sign, and of the narrowest bin that has room for its value. */
const [SIGN, ROOMY] = [6.6, 44];

export function outcomeFigure(view: OutcomeView, outcome: Outcome, width: number): Element {
  const places = view.bins.map((bin, i) => ({ ...bin, i, older: view.older?.[i] ?? null }));
  const step = (width - MARGIN.left - MARGIN.right) / Math.max(places.length, 1);
  const values = places.flatMap(({ low, high, value, older }) => [low, high, value, older ?? value]);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const height = most - least || Math.abs(most) || 1;
  // The rows stand below all values; a share has nothing below 0.
  const bottom = least - (height * (ROWS + 0.08)) / (1 - ROWS - 0.08);
  const top = most + 0.1 * height;
  const largest = Math.max(...places.map((bin) => bin.part), 1e-9);
  const short = outcome.is_share ? percent : number;
  const side = (across: number) => (bin: { i: number }) => bin.i + across;
  const marks: Plot.Markish[] = [
    Plot.rect(places, {
      className: "outcome-rows",
      x1: side(-0.42),
      x2: side(0.42),
      y1: bottom,
      y2: (bin: { part: number }) => bottom + (top - bottom) * ROWS * (bin.part / largest),
      title: (bin: { label: string; rows: string }) => `${bin.label}: ${bin.rows} ${word("page.rows")}`,
    }),
    Plot.ruleX(places, { className: "outcome-interval", x: "i", y1: "low", y2: "high" }),
    Plot.dot(
      places.filter((bin) => bin.older !== null),
      { className: "outcome-older", x: side(-0.14), y: "older", r: 5 },
    ),
    Plot.dot(places, {
      className: "outcome-newer",
      x: "i",
      y: "value",
      r: 5,
      title: (bin: { label: string; text: string }) => `${bin.label}: ${bin.text}`,
    }),
  ];
  if (step > ROOMY) {
    marks.push(
      Plot.text(places, { className: "outcome-value", x: "i", y: "high", dy: -9, text: (bin: { value: number }) => short(Number(bin.value.toPrecision(3))) }),
      Plot.text(places, { className: "outcome-count", x: "i", y: bottom, dy: -6, text: "rows" }),
    );
  }
  const lines = (label: string) => wrapped(label, Math.max(3, Math.floor(step / SIGN)));
  return plot({
    className: "plot",
    width,
    height: Math.round(Math.max(260, Math.min(0.6 * width, 380))),
    marginLeft: MARGIN.left,
    marginRight: MARGIN.right,
    marginBottom: MARGIN.bottom,
    marginTop: MARGIN.top,
    x: {
      type: "linear",
      domain: [-0.5, places.length - 0.5],
      ticks: places.map((bin) => bin.i),
      tickFormat: (_: number, i: number) => lines(places[i]!.label),
      tickSize: 0,
      label: cut(view.column, 40),
      labelArrow: "none",
    },
    y: {
      domain: [bottom, top],
      ticks: ticksIn(least, most),
      tickFormat: (value: number) => (outcome.is_share ? percentTick(value) : number(value)),
      label: cut(outcome.measure, 40),
      labelArrow: "none",
      grid: true,
    },
    marks,
  } as Plot.PlotOptions);
}

/** Round numbers in the range of the values alone: the axis says nothing of the rows. */
function ticksIn(least: number, most: number): number[] {
  const rough = (most - least || 1) / 4;
  const size = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((part) => part * size).find((part) => part >= rough)!;
  const ticks: number[] = [];
  for (let i = Math.ceil(least / step); i * step <= most + 1e-9 * step; i++) ticks.push(Number((i * step).toPrecision(12)));
  return ticks;
}

/** A label on three lines at most, of so many signs each. */
function wrapped(label: string, signs: number): string {
  const lines: string[] = [];
  for (const part of label.split(/\s+/)) {
    const last = lines[lines.length - 1];
    if (last !== undefined && last.length + 1 + part.length <= signs) lines[lines.length - 1] = `${last} ${part}`;
    else lines.push(cut(part, signs));
  }
  return lines.length > 3 ? [...lines.slice(0, 2), "…"].join("\n") : lines.join("\n");
}
