import { describe, expect, it } from "vitest";
import { timeTick } from "../src/axes";

const ticks = (...moments: string[]) => {
  const dates = moments.map((moment) => new Date(`${moment}Z`));
  return dates.map((date, i) => timeTick(date, i, dates, "de"));
};

describe("ticks of time", () => {
  it("say the year once, and months in the language", () => {
    expect(ticks("2024-10-01T00:00", "2024-12-01T00:00", "2025-02-01T00:00")).toEqual(["Okt\n2024", "Dez", "Feb\n2025"]);
  });
  it("say the day once where steps are hours", () => {
    expect(ticks("2025-03-01T12:00", "2025-03-01T18:00", "2025-03-02T00:00")).toEqual(["12:00\n1. März", "18:00", "00:00\n2. März"]);
  });
  it("are years where steps are years", () => {
    expect(ticks("2023-01-01T00:00", "2024-01-01T00:00")).toEqual(["2023", "2024"]);
  });
});
