import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { readClock } from "../../api/client";

/** The provider's clock; asked for often while time passes, and everything else is asked for anew when a day was reached. */
export function useClock() {
  const queries = useQueryClient();
  const clock = useQuery({
    queryKey: ["clock"],
    queryFn: readClock,
    refetchInterval: (query) => (query.state.data?.passage?.running ? 400 : false),
  });
  const now = clock.data?.now;
  const known = useRef(now);
  useEffect(() => {
    if (known.current !== undefined && now !== known.current) {
      void queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "clock" && query.queryKey[0] !== "draft" });
    }
    known.current = now;
  }, [now, queries]);
  return clock;
}
