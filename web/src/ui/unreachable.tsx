import { useQueryClient } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";
import { ApiError } from "../refusal";

/** Says that the server does not answer while some question is without an answer for that reason; the page stays as it is. */
export function Unreachable() {
  const cache = useQueryClient().getQueryCache();
  const silent = useSyncExternalStore(
    (told) => cache.subscribe(told),
    () =>
      cache.getAll().some((q) => q.getObserversCount() > 0 && q.state.error instanceof ApiError && q.state.error.status === 0),
  );
  if (!silent) return null;
  return (
    <p role="alert" className="border-b-2 border-bad px-6 py-1">
      The server does not answer: what stands here may be old. What you typed is kept in this browser.
    </p>
  );
}
