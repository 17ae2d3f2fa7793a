import { expect, test } from "vitest";
import { shownColumns, toggled } from "./columns";
import { boardQuery, stretch } from "./use-board";

const address = (text: string) => new URLSearchParams(text);

test("columns are those of the address, in their own order", () => {
  expect(shownColumns(address("")).map((c) => c.id)).toEqual(["bytes", "cost", "trend"]);
  expect(shownColumns(address("columns=trend,objects")).map((c) => c.id)).toEqual(["objects", "trend"]);
  expect(shownColumns(address("columns=nonsense"))).toEqual([]);
});

test("a column is put in and taken out, and the usual ones need no word in the address", () => {
  expect(toggled(address(""), "objects")).toBe("objects,bytes,cost,trend");
  expect(toggled(address("columns=objects,bytes,cost,trend"), "objects")).toBeNull();
});

test("the address asks the board for just what it says", () => {
  expect(boardQuery(address(""))).toEqual({ limit: stretch });
  expect(boardQuery(address("find=a+b&state=warnings&state=late-copies&order=down&sort=cost&cost=12&columns=bytes"))).toEqual({
    find: "a b",
    state: ["warnings", "late-copies"],
    sort: "cost",
    descending: true,
    costFrom: 12,
    limit: stretch,
  });
  expect(boardQuery(address("cost=dear"))).toEqual({ limit: stretch });
});
