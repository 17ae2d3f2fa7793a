import { useSyncExternalStore } from "react";
import { tellIn, type Zone } from "../format";

const key = "ripen-times";
const listeners = new Set<() => void>();

/** What somebody chose; the provider's zone unless they did. */
const chosen = (): Zone => (localStorage.getItem(key) === "local" ? "local" : "UTC");

tellIn(chosen());

export const useZone = () =>
  useSyncExternalStore((told) => {
    listeners.add(told);
    return () => listeners.delete(told);
  }, chosen);

export function toggleZone() {
  const next = chosen() === "UTC" ? "local" : "UTC";
  localStorage.setItem(key, next);
  tellIn(next);
  for (const told of listeners) told();
}
