import { expect, test } from "vitest";
import { tierColour } from "./tiers";

test("four tiers take the ramp's four stops", () => {
  expect([0, 1, 2, 3].map((place) => tierColour(place, 4))).toEqual([
    "var(--ripe-0)",
    "var(--ripe-1)",
    "var(--ripe-2)",
    "var(--ripe-3)",
  ]);
});

test("more tiers keep both ends and lie between the stops", () => {
  const six = [0, 1, 2, 3, 4, 5].map((place) => tierColour(place, 6));
  expect(six[0]).toBe("var(--ripe-0)");
  expect(six[5]).toBe("var(--ripe-3)");
  expect(new Set(six).size).toBe(6);
  expect(six[1]).toBe("color-mix(in oklab, var(--ripe-0), var(--ripe-1) 60%)");
});

test("a single tier is the warmest", () => expect(tierColour(0, 1)).toBe("var(--ripe-0)"));
