import { describe, expect, it } from "vitest";
import { columnAddress, columnIn, go } from "../src/address";
import { fits, orders } from "../src/filters";
import type { Column } from "../src/pageData";
import { csvText } from "../src/saving";

describe("addresses", () => {
  it("lead to columns of any name, and back", () => {
    for (const name of ["honey_kg", "a/b", "50 %", "größe", "<b>", ""]) expect(columnIn(columnAddress(name))).toBe(name);
  });

  it("of other places name no column", () => {
    expect(["", "columns", "finding/2", "column", "column/%E0%A4%A"].map(columnIn)).toEqual([null, null, null, null, null]);
  });

  it("are those of the page", () => {
    go("column/honey");
    expect(location.hash).toBe("#column/honey");
  });
});

const column = (name: string, facts: Partial<Column> = {}) => ({ name, kind: "quantity", severity: null, change: null, versions: [], ...facts }) as unknown as Column;

describe("the ledger", () => {
  it("shows columns by name, kind and whether they have findings", () => {
    const honey = column("Honey_kg", { severity: "act" });
    expect(fits(honey, { search: " honey ", kind: "", notable: true })).toBe(true);
    expect(fits(honey, { search: "hive", kind: "", notable: false })).toBe(false);
    expect(fits(honey, { search: "", kind: "category", notable: false })).toBe(false);
    expect(fits(column("note"), { search: "", kind: "", notable: true })).toBe(false);
  });

  it("orders them by change, name and missing values", () => {
    const missing = (share: number) => ({ versions: [{ missing_share: share }] }) as unknown as Partial<Column>;
    const all = [column("b", { change: 0.1, ...missing(0.5) }), column("a", missing(0.2)), column("c", { change: 0.9 })];
    const order = (by: keyof typeof orders) => [...all].sort(orders[by]).map(({ name }) => name).join("");
    expect([order("position"), order("change"), order("name"), order("missing")]).toEqual(["bac", "cba", "abc", "bac"]);
  });
});

describe("a saved table", () => {
  it("quotes what a program would read otherwise, and runs no formula", () => {
    const text = csvText([
      ["name", "n"],
      ['say "a", b', 1],
      ["=SUM(A1)", -2],
    ]);
    const [, quoted, formula] = text.trim().split(/\r?\n/);
    expect(quoted).toBe('"say ""a"", b",1');
    expect(formula).not.toMatch(/^=/);
    expect(formula).toMatch(/-2$/);
  });
});
