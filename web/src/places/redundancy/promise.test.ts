import { describe, expect, it } from "vitest";
import type { SchemePromise } from "../../api/client";
import { seconds, survives, unreadable, years } from "./promise";

const promise = (devicesSurvived: number, zonesSurvived: number, regionsSurvived: number) =>
  ({ devicesSurvived, zonesSurvived, regionsSurvived }) as SchemePromise;

describe("what a scheme promises, in words", () => {
  it("names what is survived, and says so when nothing is", () => {
    expect(survives(promise(1, 0, 0))).toBe("survives 1 device");
    expect(survives(promise(3, 3, 1))).toBe("survives 3 devices, 3 zones, 1 region");
    expect(survives(promise(0, 0, 0))).toBe("survives nothing");
  });

  it("keeps spans of time readable from years to beyond trillions of them", () => {
    expect(years(4.25)).toBe("4.3 years");
    expect(years(812)).toBe("812 years");
    expect(years(12_900_000_000)).toBe("13 billion years");
    expect(years(6.3e17)).toBe("6.3 × 10^17 years");
  });

  it("tells a share of time by what is missing", () => {
    expect(unreadable(1 - 4.6 / 8766)).toBe("4.6 hours a year");
    expect(unreadable(1 - 36 / (365.25 * 24 * 60))).toBe("36 minutes a year");
    expect(unreadable(1)).toBe("0 seconds a year");
  });

  it("tells how long a write takes", () => {
    expect(seconds(0.25)).toBe("250 ms");
    expect(seconds(40.8)).toBe("40.8 s");
    expect(seconds(180)).toBe("3 min");
    expect(seconds(9000)).toBe("2.5 h");
  });
});
