import { useMutation, useQueryClient } from "@tanstack/react-query";
import { passTime } from "../../api/client";
import { Button } from "../../ui/controls";
import { useClock } from "../clock/use-clock";

/** Copies move as the provider's time passes: an hour or a day of it, without leaving the page. */
export function PassTime() {
  const queries = useQueryClient();
  const clock = useClock();
  const pass = useMutation({
    mutationFn: (span: "hour" | "day") => passTime({ for: span }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["clock"] }),
  });
  const running = pass.isPending || (clock.data?.passage?.running ?? false);
  return (
    <span className="inline-flex items-baseline gap-2" role="group" aria-label="Advance the clock">
      <Button disabled={running} onClick={() => pass.mutate("hour")}>
        An hour passes
      </Button>
      <Button disabled={running} onClick={() => pass.mutate("day")}>
        A day passes
      </Button>
    </span>
  );
}
