import { describe, expect, it } from "vitest";
import { addressOf, type Asked, askedIn, distance, filterOf } from "../src/exploreModel";
import { binIn, edgesOf, tableOf } from "../src/sampledRows";

const packed = (codes: number[]) => btoa(String.fromCharCode(...codes));
const plain = { levels: [], values: [], start: 0, step: 0, is_time: false, bytes_per_code: 1 };
const hostile = 'a&b="|..~:';
const table = tableOf([
  {
    rows: 4,
    columns: [
      { ...plain, name: "mites", values: [1, 2, 9], codes: packed([1, 2, 3, 0]) },
      { ...plain, name: hostile, levels: ["~", "…"], codes: packed([1, 2, 2, 0]) },
    ],
  },
]);
const [mites, odd] = table.fields as [(typeof table.fields)[0], (typeof table.fields)[0]];
const asked = (brushed: Asked["brushed"]): Asked => ({ across: "mites", up: hostile, by: "", split: false, among: 0, brushed });

describe("a choice", () => {
  it("is the same after it was an address, whatever names and levels are", () => {
    for (const bins of [new Set([0]), new Set([1, 2]), new Set([0, 2])]) {
      const given = asked(new Map([[hostile, bins]]));
      const usual = { ...asked(new Map()), across: hostile };
      expect(askedIn(addressOf(table, given), table, usual)).toEqual(given);
    }
    const range = asked(new Map([["mites", new Set([binIn(mites.edges, 2), binIn(mites.edges, 2) + 1, mites.size])]]));
    expect(askedIn(addressOf(table, range), table, asked(new Map()))).toEqual(range);
  });
  it("is read as the usual one where an address says nothing of use", () => {
    const usual = asked(new Map());
    for (const address of ["explore", "explore/", "explore/across=gone&among=7&in=gone:1..2", "explore/in=mites:..x"])
      expect(askedIn(address, table, usual).across).toBe("mites");
  });
  it("is a filter that says what rare levels are by those that are not", () => {
    const rare = asked(new Map([[hostile, new Set([odd.levels.indexOf("…")])]]));
    expect(filterOf(table, rare, "sql", () => "string")).toBe(`WHERE "a&b=""|..~:" NOT IN ('~')`);
    expect(filterOf(table, rare, "polars", () => "string")).toBe(`frame.filter(~pl.col(${JSON.stringify(hostile)}).is_in(["~"]))`);
  });
});

describe("bins", () => {
  it("are months where a range is of years, also before the year 100", () => {
    const days = Float64Array.from([new Date(0).setUTCFullYear(50, 0, 15), new Date(0).setUTCFullYear(51, 10, 2)]);
    const texts = edgesOf(days, true).map((edge) => new Date(edge).toISOString());
    expect(texts[0]).toBe("0050-01-01T00:00:00.000Z");
    expect(texts.every((text) => text.endsWith("-01T00:00:00.000Z"))).toBe(true);
    expect(texts[texts.length - 1]! > "0051-11-02").toBe(true);
  });
  it("hold all numbers of a column that never varies", () => {
    expect(edgesOf(Float64Array.from([3, 3, 3]), false)).toEqual([3, 4]);
    expect(edgesOf(new Float64Array(0), false)).toEqual([0, 1]);
  });
  it("cut a long tail, and the last one holds it", () => {
    const edges = edgesOf(Float64Array.from({ length: 1000 }, (_, i) => (i < 999 ? i / 100 : 1e6)), false);
    expect(edges[edges.length - 1]).toBeLessThan(12);
    expect(binIn(edges, 1e6)).toBe(edges.length - 2);
  });
});

describe("the distance of two groups", () => {
  it("is the largest gap of cumulative shares, or of what is missing", () => {
    const counts = (numbers: number[]) => Float64Array.from([...numbers, ...Array(mites.size - numbers.length).fill(0), 0]);
    expect(distance(mites, [counts([4, 0]), counts([0, 4])])).toBe(1);
    expect(distance(mites, [counts([3, 1]), counts([1, 3])])).toBeCloseTo(0.5);
    const missing = counts([2]);
    missing[mites.size] = 2;
    expect(distance(mites, [missing, counts([4])])).toBeCloseTo(0.5);
  });
});
