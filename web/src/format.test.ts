import { describe, expect, test } from "vitest";
import { age, bytes, count, money, moneyChange, month, price } from "./format";

describe("money", () => {
  test.each([
    [0, "€0"],
    [12_345.678, "€12,346"],
    [999.994, "€999.99"],
    [0.5, "€0.50"],
    [0.0042, "under a cent"],
    [-0.0042, "less than a cent less"],
    [0.0051, "€0.01"],
    [-54.24, "-€54.24"],
  ])("%f is %s", (amount, words) => expect(money(amount, "EUR")).toBe(words));

  test("a price below a cent keeps what it says", () => {
    expect(price(0.000012345, "EUR")).toBe("€0.00001235");
    expect(price(0.0194, "EUR")).toBe("€0.0194");
    expect(price(1.5, "EUR")).toBe("€1.50");
    expect(price(0.142, "EUR")).toBe("€0.142");
    expect(price(310, "EUR")).toBe("€310.00");
  });

  test("a change has its sign", () => {
    expect(moneyChange(5, "EUR")).toBe("+€5.00");
    expect(moneyChange(-5, "EUR")).toBe("-€5.00");
    expect(moneyChange(0, "EUR")).toBe("€0");
  });
});

// IEC 80000-13: kB and MB are powers of ten, KiB and MiB powers of two.
describe("bytes", () => {
  test.each([
    [0, "GB", "0 B"],
    [999, "GB", "999 B"],
    [1000, "GB", "1 kB"],
    [24_576, "GB", "24.6 kB"],
    [1_900_000_000, "GB", "1.9 GB"],
    [1024, "GiB", "1 KiB"],
    [1_900_000_000, "GiB", "1.77 GiB"],
    [2.5e15, "GB", "2.5 PB"],
  ] as const)("%f in %s is %s", (size, unit, words) => expect(bytes(size, unit)).toBe(words));
});

test("counts keep two digits only when they are small", () => {
  expect(count(0.5)).toBe("0.5");
  expect(count(1234.5)).toBe("1,235");
});

test("ages name whole years", () => {
  expect(age(1)).toBe("1 day");
  expect(age(400)).toBe("400 days");
  expect(age(365)).toBe("365 days (1 year)");
  expect(age(2557)).toBe("2,557 days (7 years)");
});

test("months are named in full", () => expect(month("2028-02")).toBe("February 2028"));
