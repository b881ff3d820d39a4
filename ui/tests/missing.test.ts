import { expect, it } from "vitest";
import { missingRuns } from "../src/MissingMatrix";

it("reads the runs of missing cells, column by column", () => {
  const bytes = [0b11000001, 0b10000000, 0b00000000, 0b01000000];
  const matrix = { columns: ["a", "b"], rows: 10, cells: btoa(String.fromCharCode(...bytes)), merges: [], caption: "", more: "" };
  expect(missingRuns(matrix)).toEqual([[[0, 2], [7, 2]], [[9, 1]]]);
});
