import { describe, expect, test } from "vitest";
import { ageScale, ticks } from "./axis";

const axis = { knee: 10, oldest: 4015 };

describe("the age scale", () => {
  const scale = ageScale(axis, 800);

  test("runs from the left edge to the right", () => {
    expect(scale.at(0)).toBe(0);
    expect(scale.at(axis.oldest)).toBeCloseTo(800, 9);
    expect(scale.at(9999)).toBeCloseTo(800, 9);
    expect(scale.at(-3)).toBe(0);
  });

  test("gives every day back that a position was made from", () => {
    for (let age = 0; age <= axis.oldest; age++) expect(scale.age(scale.at(age))).toBe(age);
  });

  test("never turns back", () => {
    for (let age = 1; age <= axis.oldest; age++) expect(scale.at(age)).toBeGreaterThan(scale.at(age - 1));
  });

  test("gives a week of new data more room than a week of old", () => {
    expect(scale.at(7) - scale.at(0)).toBeGreaterThan(10 * (scale.at(372) - scale.at(365)));
  });

  test("keeps positions outside the strip at its ends", () => {
    expect(scale.age(-50)).toBe(0);
    expect(scale.age(5000)).toBe(axis.oldest);
  });
});

test("ticks rise and keep apart", () => {
  const scale = ageScale(axis, 640);
  for (let i = 1; i < ticks.length; i++)
    expect(scale.at(ticks[i]?.age ?? 0) - scale.at(ticks[i - 1]?.age ?? 0)).toBeGreaterThan(30);
});
