import { afterEach, describe, expect, it } from "vitest";
import { hundredths, number, percent, percentTick, whole } from "../src/format";
import { speak } from "../src/model";

afterEach(() => speak("en"));

describe("numbers as a reader can use them", () => {
  it("stand in groups of three digits", () => {
    expect([whole(1234567), number(1234.5), number(0.000123456789)]).toEqual(["1,234,567", "1,234.5", "0.000123457"]);
    speak("de");
    expect([whole(1234567), number(1234.5)]).toEqual(["1.234.567", "1.234,5"]);
  });

  it("never make nothing of a little, nor all of nearly all", () => {
    expect([0, 0.0001, 0.012, 0.5, 0.9996, 1].map(percent)).toEqual(["0 %", "under 0.1 %", "1.2 %", "50 %", "99.9 %", "100 %"]);
    speak("de");
    expect([0.0001, 0.012].map(percent)).toEqual(["unter 0,1 %", "1,2 %"]);
  });

  it("have as many decimals as their place needs", () => {
    expect([percentTick(0.125), hundredths(0.5), hundredths(-0.004), hundredths(-0.5)]).toEqual(["12.5 %", "0.50", "0.00", "-0.50"]);
  });
});
