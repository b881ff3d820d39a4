/** Axes in the language of the page: Plot's own ticks are English. */

import * as Plot from "@observablehq/plot";
import { number } from "./format";
import { language } from "./model";

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** A figure whose ticks are in the language of the page. */
export function plot(options: Plot.PlotOptions): (SVGSVGElement | HTMLElement) & Plot.Plot {
  if (language === "en") return Plot.plot(options);
  return Plot.plot({ ...options, x: localised(options.x), y: localised(options.y) });
}

function localised(scale: Plot.ScaleOptions | undefined): Plot.ScaleOptions | undefined {
  return scale && scale.tickFormat === undefined ? { ...scale, tickFormat: tick as (value: unknown, i: number) => string } : scale;
}

function tick(value: unknown, i: number, ticks: readonly unknown[]): string {
  if (typeof value === "number") return number(value);
  return value instanceof Date ? timeTick(value, i, ticks as readonly Date[], language) : String(value);
}

/** A moment on an axis; what the tick before it says already (year or day) is left out. */
export function timeTick(moment: Date, i: number, ticks: readonly Date[], locale: string): string {
  const step = ticks.length > 1 ? ticks[1]!.valueOf() - ticks[0]!.valueOf() : DAY;
  const text = (options: Intl.DateTimeFormatOptions, of = moment) => of.toLocaleString(locale, { timeZone: "UTC", ...options });
  const below = (options: Intl.DateTimeFormatOptions) => {
    const now = text(options);
    return i > 0 && text(options, ticks[i - 1]) === now ? "" : `\n${now}`;
  };
  if (step > 360 * DAY) return text({ year: "numeric" });
  if (step > 27 * DAY) return text({ month: "short" }) + below({ year: "numeric" });
  if (step >= DAY) return text({ day: "numeric", month: "short" }) + below({ year: "numeric" });
  const seconds = step < 60_000 ? ({ second: "2-digit" } as const) : {};
  return text({ hour: "2-digit", minute: "2-digit", ...seconds }) + below({ day: "numeric", month: "short" });
}

/** A figure whose parts say nothing by themselves: what it shows is said of the whole. */
export function quiet(figure: Element): Element {
  figure.querySelectorAll("[aria-label]").forEach((part) => part.removeAttribute("aria-label"));
  return figure;
}
