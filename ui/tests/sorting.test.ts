import { expect, it } from "vitest";
import { sorted } from "../src/sorting";

it("sorts numbers by size, texts by letters, and leaves missing cells last", () => {
  expect(sorted(["10", "9", null, "-2.5"], false)).toEqual([3, 1, 0, 2]);
  expect(sorted(["10", "9", null, "-2.5"], true)).toEqual([0, 1, 3, 2]);
  expect(sorted(["b10", null, "Ä", "b9", "b9"], false)).toEqual([2, 0, 3, 4, 1]);
  expect(sorted([3, 1, 3], true)).toEqual([0, 2, 1]);
});
