import { type ReactNode, useState } from "react";
import { count } from "../format";
import { Button } from "./controls";

/** The first ones of a long list, and the button that shows all of them; a page of ten thousand buckets opens at once. */
export function useCapped<T>(list: T[], most: number): { shown: T[]; more: ReactNode } {
  const [all, setAll] = useState(false);
  if (all || list.length <= most) return { shown: list, more: null };
  return {
    shown: list.slice(0, most),
    more: (
      <Button className="mt-2" onClick={() => setAll(true)}>
        Show all {count(list.length)}
      </Button>
    ),
  };
}
