import { describe, expect, it } from "vitest";
import { cellPaths, placeAt } from "../src/cells";
import { page } from "../src/model";
import { evenly, momentsOf, nameOf, pooled } from "../src/historyModel";

const versions = (moments: string[]) => ({ labels: moments, moments, rows: moments.map(() => 1), marks: {} });

describe("cells of a line", () => {
  it("are one path for each shade, and none where nothing is before", () => {
    expect(cellPaths(" 003", {}).map(([look]) => look)).toEqual(["unusual-0", "unusual-3"]);
    expect(cellPaths(" 003", {})[0]![1].match(/M/g)).toHaveLength(2);
    expect(cellPaths("   ", {})).toEqual([]);
  });
  it("show what happened in its colour, in place of the shade", () => {
    expect(cellPaths("000", { 1: "act" }).map(([look]) => look)).toEqual(["unusual-0", "act"]);
  });
  it("leave no gaps where there are many", () => {
    expect(cellPaths("0".repeat(365), {})[0]![1]).toContain("M364 0h1v1h-1z");
  });
  it("are found by where a pointer is", () => {
    const line = { getBoundingClientRect: () => ({ left: 10, width: 100 }) } as Element;
    expect([9, 10, 59, 109, 500].map((x) => placeAt(line, x, 10))).toEqual([0, 0, 4, 9, 9]);
  });
});

describe("versions put together", () => {
  Object.assign(page, { versions: { labels: ["w1", "w2", "w3", "w4"], rows: [100, 300, 100, 0] } });
  it("are called by the first and the last", () => {
    expect([nameOf([1, 1]), nameOf([0, 2])]).toEqual(["w2", "w1 … w3"]);
  });
  it("have the median of their numbers, and shares of all their rows", () => {
    expect(pooled([1, 9, 2, 4], [0, 2])).toBe(2);
    expect(pooled([1, null, 2, 4], [0, 3])).toBe(2);
    expect(pooled([0.5, 0.1, 0.2, null], [0, 1], true)).toBeCloseTo(0.2);
    expect(pooled([null, null, 2, 4], [0, 1])).toBeNull();
  });
});

describe("versions on an axis", () => {
  it("are labelled evenly, the first and the last among them", () => {
    expect(evenly(60, 7)).toEqual([0, 10, 20, 30, 39, 49, 59]);
    expect(evenly(3, 7)).toEqual([0, 1, 2]);
    expect(evenly(1, 7)).toEqual([0]);
  });
  it("are at their moments only where these say something", () => {
    expect(momentsOf(versions(["2025-01-06T00:00:00", "2025-01-13T00:00:00"]))).toHaveLength(2);
    expect(momentsOf(versions(["2025-01-06T00:00:00", "2025-01-06T00:00:20"]))).toBeNull();
    expect(momentsOf(versions(["2025-01-13T00:00:00", "2025-01-06T00:00:00"]))).toBeNull();
  });
});
