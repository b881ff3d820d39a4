/**
 * A spread of the ledger's size, without axes: one path for all bars of a version, since a page
 * may have a thousand of these and draws them while it is scrolled.
 */

import type { Bar, Bars } from "./bars";
import { highest, share } from "./figure";
import { page } from "./model";

const SVG = "http://www.w3.org/2000/svg";
const newest = page.versions.length - 1;

export function smallFigure(bars: Bars, totals: number[], width: number, height: number): Element {
  const all = bars.bars;
  const pad = bars.touching ? 0 : (all[0]!.to - all[0]!.from) * 0.4;
  const start = all[0]!.from - pad;
  const perUnit = (width - 2) / (all[all.length - 1]!.to + pad - start);
  const base = height - 2;
  const perShare = (base - 1) / highest(bars, totals);
  const x = (place: number) => (1 + (place - start) * perUnit).toFixed(1);
  const y = (bar: Bar, version: number) => (base - share(bar, version, totals) * perShare).toFixed(1);
  // Neighbours that touch are kept apart by a thin line of paper.
  const thin = bars.touching ? 0.5 / perUnit : 0;
  const box = (bar: Bar, version: number, inset: number) =>
    `M${x(bar.from + inset)} ${base}V${y(bar, version)}H${x(bar.to - inset)}V${base}Z`;
  const outline = (version: number) =>
    bars.touching
      ? `M${x(all[0]!.from)} ${base}${all.map((bar) => `V${y(bar, version)}H${x(bar.to)}`).join("")}V${base}`
      : all.map((bar) => box(bar, version, 0)).join("");
  const view = `0 0 ${width} ${height}`;
  const figure = part("svg", { class: "plot", width, height, viewBox: view, preserveAspectRatio: "none" });
  const filled = all.filter((bar) => bar.counts[newest]);
  figure.append(part("path", { class: "ink", d: filled.map((bar) => box(bar, newest, thin)).join("") }));
  for (let version = 0; version < newest; version++) {
    if (!totals[version]) continue;
    figure.append(part("path", { class: `ghost ghost-${newest - version}`, d: outline(version), "stroke-width": 1.5 }));
  }
  figure.append(part("path", { class: "base", d: `M0 ${base}H${width}` }));
  return figure;
}

function part(name: string, attributes: Record<string, string | number>): Element {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, `${value}`);
  return made;
}
