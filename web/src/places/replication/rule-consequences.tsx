import type { CopyDraftReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { CostTable } from "./cost-table";

/** What a drafted rule would do: the line it uses, what versions cost, what the estate costs before and after. */
export function RuleConsequences({ reading, catchUp }: { reading: CopyDraftReading; catchUp: boolean }) {
  const { money, bytes } = useEstate();
  const { problems, line, versioning, arrivingBytesADay } = reading;
  const carries = reading.lineBytesADay ?? null;
  return (
    <div className="mt-3 space-y-4 text-sm" data-testid="copy-consequences">
      {problems.length > 0 && (
        <div role="alert">
          <h2 className="text-lg text-bad">Cannot be applied</h2>
          <ul className="mt-1 space-y-1">
            {problems.map((problem) => (
              <li key={problem.path + problem.code}>{problem.message}</li>
            ))}
          </ul>
        </div>
      )}
      {reading.catchUp && (
        <>
          <section>
            <h2 className="mb-1 text-base">The line</h2>
            <p>
              {bytes(arrivingBytesADay)} arrive a day in its scope.{" "}
              {carries === null
                ? "The line has no limit: copies arrive as time passes."
                : `The line carries ${bytes(carries)} a day for all its rules, ${line?.roundTripMilliseconds ?? 0} ms there and back.`}
            </p>
            {carries !== null && arrivingBytesADay > carries && (
              <p className="border-l-2 border-bad pl-2">More arrives than the line carries: the backlog never clears.</p>
            )}
          </section>
          <CostTable
            cost={catchUp ? reading.costWith : reading.costWithout}
            assume={catchUp ? reading.assumeWith : reading.assumeWithout}
          />
          {versioning.length > 0 && (
            <section>
              <h2 className="mb-1 text-base">What versions cost</h2>
              {versioning.map((v) => (
                <p key={v.bucket}>
                  From then on {v.bucket} keeps what is overwritten or deleted. If everything in it were overwritten once a month,
                  and its earlier version kept for a month, that would be {money(v.replacedOnceAMonth)} a month.
                </p>
              ))}
            </section>
          )}
        </>
      )}
    </div>
  );
}
