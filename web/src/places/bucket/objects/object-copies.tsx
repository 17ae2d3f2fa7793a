import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type CopyOfObject, readCopiesOf } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { moment } from "../../../format";

const words: Record<CopyOfObject["state"], string> = {
  original: "the original, written",
  there: "a copy, there since",
  unreachable: "its region is lost; there since",
  waiting: "waits to be copied since",
  failed: "failed; waiting since",
};

/** Where else this version is, and since when. */
export function ObjectCopies({ bucket, version }: { bucket: string; version: number }) {
  const { regionName, tierName } = useEstate();
  const copies = useQuery({
    queryKey: ["copies-of", bucket, version],
    queryFn: () => readCopiesOf(bucket, version),
    retry: false,
  });
  if (!copies.data) return null;
  return (
    <section aria-label="Copies of it" className="mt-5">
      <h3 className="text-base">Where it is elsewhere</h3>
      {copies.data.length === 0 && <p className="text-sm text-ink-soft">Nowhere: it is lost with its region.</p>}
      <ul>
        {copies.data.map((copy) => (
          <li key={`${copy.bucket} ${copy.state}`} className="border-t border-hairline py-1 text-sm">
            <Link to={`/buckets/${copy.bucket}#contents`}>{copy.bucket}</Link>, {regionName(copy.region)}: {words[copy.state]}{" "}
            {moment(copy.since)}
            {copy.tier ? `, in ${tierName(copy.tier)}` : ""}.{copy.why && <span className="block text-bad">{copy.why}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}
