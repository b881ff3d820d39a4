import { afterEach, describe, expect, it } from "vitest";
import * as model from "../src/model";

afterEach(() => model.speak("en"));

describe("the languages of a page", () => {
  it("are those that were written into it, by their own names", () => {
    expect(model.languages).toEqual(["en", "de"]);
    expect(model.languages.map(model.languageName)).toEqual(["English", "Deutsch"]);
  });

  it("change the page and its words, and back", () => {
    model.speak("de");
    expect([model.page.title, model.word("page.rows"), document.documentElement.lang]).toEqual(["Völker", "Zeilen", "de"]);
    expect(model.word("page.n_entries", { n: 3 })).toBe("3 entries"); // what does not differ
    model.speak("en");
    expect([model.page.title, model.word("page.rows")]).toEqual(["Hives", "rows"]);
  });

  it("are differences of plain trees", () => {
    const value = { a: [1, { b: 2 }], c: "x" };
    expect(model.patched(value, null)).toBe(value);
    expect(model.patched(value, { a: { "1": { b: [3] } } })).toEqual({ a: [1, { b: 3 }], c: "x" });
    expect(model.patched(value, [null])).toBeNull();
    expect(value).toEqual({ a: [1, { b: 2 }], c: "x" });
  });

  it("name terms, and say which are defined", () => {
    expect(model.terms()).toEqual([["rows", "All rows."]]);
    expect([model.defined("rows"), model.defined("columns")]).toEqual([true, false]);
  });
});
