import type { ProbeStep } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";

/** Below a millisecond a rate says more about the clock than about the place. */
const leastMilliseconds = 1;

/** The steps of a self-test, each with the time that it took, or what is wrong and what to do. */
export function ProbeSteps({ steps }: { steps: ProbeStep[] }) {
  const { bytes } = useEstate();
  return (
    <ol className="mt-2 max-w-xl" data-testid="probe">
      {steps.map((step) => (
        <li key={step.what} className="flex items-baseline gap-3 border-t border-hairline py-0.5">
          <span className={step.worked ? "text-good" : "font-semibold text-bad"}>
            <span aria-hidden="true">{step.worked ? "✓" : "✗"}</span>
            <span className="sr-only">{step.worked ? "worked" : "failed"}</span>
          </span>
          <span className="min-w-0 flex-1 break-words">
            {step.what}
            {step.why && <span className="block text-sm text-bad">{step.why}</span>}
          </span>
          <span className="text-sm text-ink-soft">
            {step.worked && step.bytes && step.milliseconds >= leastMilliseconds && (
              <>{bytes((step.bytes / step.milliseconds) * 1000)}/s, </>
            )}
            {step.milliseconds < leastMilliseconds ? "under 1" : count(step.milliseconds, 0)} ms
          </span>
        </li>
      ))}
    </ol>
  );
}
