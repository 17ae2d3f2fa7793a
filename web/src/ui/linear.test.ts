import { expect, test } from "vitest";
import { linear } from "./linear";

test("places and values go there and back", () => {
  const x = linear([0, 10], [100, 300]);
  expect(x(0)).toBe(100);
  expect(x(2.5)).toBe(150);
  expect(x.invert(150)).toBe(2.5);
  expect(linear([3, 3], [0, 9])(3)).toBe(0);
});
