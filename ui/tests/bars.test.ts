import { describe, expect, it } from "vitest";
import { barsOf, finest, logBarsOf, unitStart } from "../src/bars";
import type { BinnedDistribution } from "../src/pageData";

const counts = [
  [1, 2, 3, 4, 5],
  [5, 4, 3, 2, 1],
];
const bins: BinnedDistribution = { type: "bins", start: 10, width: 2, step: 1, counts, underflow: [1, 0], overflow: [0, 2] };
const total = (rows: number[]) => rows.reduce((a, b) => a + b, 0);

describe("bars", () => {
  it("are sums of neighbouring bins, and lose no row", () => {
    for (const most of [1, 2, 3, 5, 50]) {
      const { bars, beyond } = barsOf(bins, most);
      expect(bars.length).toBeLessThanOrEqual(most);
      for (const version of [0, 1]) expect(total(bars.map((bar) => bar.counts[version]!))).toBe(15);
      expect(beyond).toEqual([1, 2]);
    }
  });

  it("of values on a lattice stand around them", () => {
    const { bars, touching } = barsOf(bins, 5);
    expect([bars[0]!.from, bars[0]!.to, bars[0]!.label, touching]).toEqual([9.5, 11.5, "10 – 11", true]);
  });

  it("of logarithms stand on the axis of the values", () => {
    const { bars, log } = logBarsOf({ ...bins, start: 0, width: 1, step: null }, 5);
    expect([bars[0]!.from, bars[4]!.to, log]).toEqual([1, 32, true]);
  });

  it("of calendar units begin where these do", () => {
    const months = { type: "time" as const, unit: "month", time_of_day: false, first: 600, counts };
    expect(barsOf(months, 5).bars.map((bar) => bar.label)).toEqual(["2020-01", "2020-02", "2020-03", "2020-04", "2020-05"]);
    expect(unitStart("day", 1)).toBe(86_400_000);
    expect(unitStart("year", 50)).toBe(Date.UTC(2020, 0, 1));
    const clock = { type: "time" as const, unit: "hour", time_of_day: true, first: 7, counts };
    expect(barsOf(clock, 5).bars[0]!.label).toBe("07:00");
  });

  it("of values and levels stand apart", () => {
    const values = barsOf({ type: "values", values: [1, 2, 5], counts: [[3, 2, 1]] }, 9);
    expect([values.touching, values.bars[2]!.from, values.bars[2]!.label]).toEqual([false, 4.64, "5"]);
    const levels = { type: "levels" as const, levels: ["oak"], counts: [[3]], other_levels: 0, other_counts: [0] };
    expect(barsOf(levels, 9).bars[0]!.label).toBe("oak");
    expect([finest(bins), finest(levels)]).toEqual([5, 0]);
  });
});
