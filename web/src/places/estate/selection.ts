import { useSyncExternalStore } from "react";

const key = "ripen-selected";
const watchers = new Set<() => void>();
let selected: ReadonlySet<string> = new Set(JSON.parse(sessionStorage.getItem(key) ?? "[]") as string[]);

/** Selected buckets, remembered for this window, so that the board can be left and come back to. */
export function useSelection() {
  const names = useSyncExternalStore(watch, () => selected);
  return {
    names,
    toggle: (name: string) => set(names.has(name) ? new Set([...names].filter((n) => n !== name)) : new Set([...names, name])),
    select: (all: Iterable<string>) => set(new Set(all)),
    clear: () => set(new Set()),
  };
}

function watch(watcher: () => void) {
  watchers.add(watcher);
  return () => watchers.delete(watcher);
}

function set(next: ReadonlySet<string>) {
  selected = next;
  sessionStorage.setItem(key, JSON.stringify([...next]));
  for (const watcher of watchers) watcher();
}
