import { NavLink } from "react-router";
import { instant } from "../../format";
import { useClock } from "./use-clock";

/** The provider's time in the head of every page, with what is passing. */
export function ClockLink() {
  const clock = useClock().data;
  if (!clock) return null;
  const running = clock.passage?.running;
  return (
    <NavLink to="/clock" className="text-right text-sm leading-tight whitespace-nowrap no-underline">
      <span className="block underline decoration-hairline-strong underline-offset-4">
        {running ? "time passes…" : "Advance the clock"}
      </span>
      <span className="block text-xs text-ink-soft">{instant(running ? (clock.passage?.reached ?? clock.now) : clock.now)}</span>
    </NavLink>
  );
}
