import { describe, expect, test } from "vitest";
import { parseNumber } from "./number-text";

describe("a typed number", () => {
  test.each([
    ["12", 12],
    [" 12.5 ", 12.5],
    ["1,000", 1000],
    ["1,234,567.25", 1234567.25],
    ["1 000 000", 1_000_000],
    ["0,5", 0.5],
    ["12,75", 12.75],
    ["-7.5", -7.5],
    [".25", 0.25],
    ["2e3", 2000],
  ])("%s is %d", (text, number) => expect(parseNumber(text)).toBe(number));

  test.each(["", " ", "-", "1,00,0", "1.000,5", "0x10", "Infinity", "five", "1-2"])("'%s' is none", (text) =>
    expect(parseNumber(text)).toBeNull(),
  );
});
